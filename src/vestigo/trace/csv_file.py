"""CSV files, and TSV files, which are the same with tabs."""

import csv
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

import pyarrow as pa
import pyarrow.csv as arrow_csv

from vestigo.errors import TraceError
from vestigo.trace.columns import COLUMNS
from vestigo.trace.packed import open_text, unpacked_name

if TYPE_CHECKING:
    from _csv import Reader

_NUMBERS = {"at": pa.int64(), "size": pa.int64(), "cost": pa.int64()}


def read_csv(path: Path) -> tuple[pa.Table, Callable[[int], str]]:
    """The columns of a trace, and how to say where a row stands. An empty cell is a missing value."""
    with open_text(path) as file:
        header = next(_rows(path, file), None)
    if not header:
        raise TraceError(f"{path}: is empty; expected is a line of column names, then one line an event")
    known = [name for name in dict.fromkeys(header) if name in COLUMNS and header.count(name) == 1]
    if twice := [name for name in COLUMNS if header.count(name) > 1]:
        raise TraceError([f"{path}, line 1: column {name!r} stands there twice; rename one" for name in twice])
    if not known:
        return pa.table({name: pa.array([], pa.string()) for name in dict.fromkeys(header)}), _Lines(path)
    try:
        try:
            table = _read(path, known, {name: _NUMBERS.get(name, pa.large_string()) for name in known})
        except pa.ArrowInvalid:  # perhaps a number that is none: read text, so that it can be shown
            table = _read(path, known, dict.fromkeys(known, pa.large_string()))
    except pa.ArrowInvalid as error:
        raise TraceError(_broken_rows(path, len(header)) or f"{path}: cannot be parsed: {error}") from None
    return table, _Lines(path)


def _read(path: Path, known: list[str], types: dict[str, pa.DataType]) -> pa.Table:
    return arrow_csv.read_csv(
        path,
        parse_options=arrow_csv.ParseOptions(delimiter=_delimiter(path), newlines_in_values=True),
        convert_options=arrow_csv.ConvertOptions(
            column_types=types,
            include_columns=known,
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
        ),
    )


def _delimiter(path: Path) -> str:
    return "\t" if unpacked_name(path).endswith(".tsv") else ","


def _rows(path: Path, file: TextIO) -> "Reader":
    return csv.reader(file, delimiter=_delimiter(path))


def _broken_rows(path: Path, fields: int, most: int = 10) -> list[str]:
    problems = []
    with open_text(path) as file:
        reader = _rows(path, file)
        for row in reader:
            if row and len(row) != fields:
                problems.append(
                    f"{path}, line {reader.line_num}: {len(row)} fields; expected are {fields}, as in the line of names"
                )
                if len(problems) == most:
                    break
    return problems


class _Lines:
    """Says on which line a row stands. Counted only when something is wrong."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def __call__(self, row: int) -> str:
        with open_text(self.path) as file:
            reader = _rows(self.path, file)
            rows = (reader.line_num for fields in reader if fields)
            for number, line in enumerate(rows):
                if number == row + 1:
                    return f"line {line}"
        return f"row {row + 1}"
