"""CSV files, plain or compressed with gzip."""

import csv
import gzip
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

import pyarrow as pa
import pyarrow.csv as arrow_csv

from vestigo.errors import TraceError
from vestigo.trace.columns import COLUMNS

_NUMBERS = {"at": pa.int64(), "size": pa.int64(), "cost": pa.int64()}


def read_csv(path: Path) -> tuple[pa.Table, Callable[[int], str]]:
    """The columns of a trace, and how to say where a row stands. An empty cell is a missing value."""
    with _text(path) as file:
        header = next(csv.reader(file), None)
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
        raise TraceError(_broken_rows(path, len(header)) or f"{path}: is not valid CSV: {error}") from None
    return table, _Lines(path)


def _read(path: Path, known: list[str], types: dict[str, pa.DataType]) -> pa.Table:
    return arrow_csv.read_csv(
        path,
        parse_options=arrow_csv.ParseOptions(newlines_in_values=True),
        convert_options=arrow_csv.ConvertOptions(
            column_types=types,
            include_columns=known,
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
        ),
    )


@contextmanager
def _text(path: Path) -> Iterator[TextIO]:
    if path.name.lower().endswith(".gz"):
        with gzip.open(path, "rt", encoding="utf-8-sig", newline="") as file:
            yield file
    else:
        with path.open(encoding="utf-8-sig", newline="") as file:
            yield file


def _broken_rows(path: Path, fields: int, most: int = 10) -> list[str]:
    problems = []
    with _text(path) as file:
        reader = csv.reader(file)
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
        with _text(self.path) as file:
            reader = csv.reader(file)
            rows = (reader.line_num for fields in reader if fields)
            for number, line in enumerate(rows):
                if number == row + 1:
                    return f"line {line}"
        return f"row {row + 1}"
