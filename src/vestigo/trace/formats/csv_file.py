"""CSV files, and TSV files, which have tabs in place of commas."""

import csv
import mmap
import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as arrow_csv

from vestigo.errors import TraceError
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.numbering import numbered
from vestigo.trace.formats.packed import Limits, is_packed, open_bytes, open_text, unpacked_name
from vestigo.trace.formats.raw import Raw, Wanted, check_named_once
from vestigo.units import counted, format_bytes

if TYPE_CHECKING:
    from _csv import Reader

_LONGEST_FIELD = 1 << 30
_MOST_EMPTY = 1_000_000
_FAST_BLOCK_BYTES = 4 << 20  # a row must fit into one
_OFFSET_TIME = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d.*(?:Z|[+-]\d\d:?\d\d)")


def read_csv(path: Path, wanted: Wanted) -> Raw:
    """Reads the wanted columns. An empty cell is a missing value."""
    with open_text(path, wanted.limits) as file, _long_fields():
        rows = _rows(path, file)
        header, first = _next_filled(path, rows), _next_filled(path, rows) or []
    if not header:
        raise TraceError(f"{path}: holds no row; it must have a line of column names, then one line an event")
    check_named_once(f"{path}, line 1", wanted, header)
    known = [name for name in header if name in wanted.columns]
    if not known:
        return Raw(pa.table({}), _Lines(path, wanted.limits), tuple(header))
    try:
        cells = dict(zip(header, first, strict=False))
        types = _types(wanted, known, cells)
        table = _read_fast(path, types, wanted.limits) if len(known) == len(header) or not _has_quotes(path) else None
        try:
            table = _numbered(_read(path, types, wanted.limits)) if table is None else table
        except pa.ArrowInvalid:  # perhaps a number is not valid; read it as text, so that it can be shown
            table = _read(path, dict.fromkeys(known, pa.large_string()), wanted.limits)
    except pa.ArrowInvalid as error:
        if "block boundaries" in str(error):
            most = format_bytes(wanted.limits.longest_line)
            raise TraceError(f"{path}: has a row of more than {most}; if that is right, state longest_line") from None
        raise TraceError(
            _broken_rows(path, len(header), wanted.limits) or f"{path}: cannot be parsed: {error}"
        ) from None
    return Raw(
        table,
        _Lines(path, wanted.limits),
        tuple(header),
        first_time="".join(cells.get(name, "") for name in wanted.named("at")),
    )


def _next_filled(path: Path, rows: "Reader") -> list[str] | None:
    """The next row that is not empty. None if there is none."""
    for number, row in enumerate(rows):
        if row:
            return row
        if number > _MOST_EMPTY:
            raise TraceError(f"{path}: has more than {_MOST_EMPTY:,} empty lines one after the other; leave them out")
    return None


def _types(wanted: Wanted, known: list[str], first: dict[str, str]) -> dict[str, pa.DataType]:
    """The type that each column most likely has."""
    types = dict.fromkeys(known, pa.string())
    for name in (name for role in ("size", "cost") for name in wanted.named(role)):
        cell = first.get(name, "")
        types[name] = pa.int64() if cell.lstrip("-").isdigit() or not cell else pa.large_string()
    for name in wanted.named("at"):
        cell = first.get(name, "")
        is_time = _OFFSET_TIME.fullmatch(cell)
        types[name] = pa.timestamp("ns", "UTC") if is_time else pa.int64() if cell.isdigit() else pa.large_string()
    return {name: types[name] for name in known}


def _read_fast(path: Path, types: dict[str, pa.DataType], limits: Limits) -> pa.Table | None:
    """Reads in parallel if no value contains a line end. Otherwise returns None.

    Arrow divides the file at line ends. A line end within quotes shows: a value ends with it, or the rest no longer
    fits. Looking for the first such place is enough, because everything before it was read correctly.
    """
    try:
        table = _numbered(_read(path, types, limits, fast=True))
        texts = [text for column in table.columns for text in _texts(column)]
        for text in texts:
            text.validate(full=True)  # in a dictionary, each distinct text comes once
    except pa.ArrowInvalid:
        return None
    return None if any(pc.any(pc.match_substring(text, end)).as_py() for text in texts for end in "\n\r") else table


def _numbered(table: pa.Table) -> pa.Table:
    """The table with texts as dictionaries, because most texts come many times."""
    names = [name for name in table.column_names if table[name].type == pa.string()]
    with ThreadPoolExecutor() as threads:
        columns = dict(zip(names, threads.map(lambda name: numbered(table[name]), names), strict=True))
    return pa.table({name: columns.get(name, table[name]) for name in table.column_names})


def _texts(column: pa.ChunkedArray) -> list[pa.Array]:
    """The distinct texts of a column, if it holds text."""
    if pa.types.is_dictionary(column.type):
        return [column.chunk(0).dictionary] if column.num_chunks else []
    return column.chunks if pa.types.is_large_string(column.type) else []


def _has_quotes(path: Path) -> bool:
    if is_packed(path):
        return True  # perhaps; looking would take as long as reading
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        return content.find(b'"') >= 0


def _read(path: Path, types: dict[str, pa.DataType], limits: Limits, fast: bool = False) -> pa.Table:
    """Reads the file. `fast` assumes that no value contains a line end, and leaves it to the caller to check for
    UTF-8.
    """
    return arrow_csv.read_csv(
        open_bytes(path, limits) if is_packed(path) else path,
        read_options=arrow_csv.ReadOptions(block_size=_FAST_BLOCK_BYTES if fast else limits.longest_line),
        parse_options=arrow_csv.ParseOptions(delimiter=_delimiter(path), newlines_in_values=not fast),
        convert_options=arrow_csv.ConvertOptions(
            check_utf8=not fast,
            column_types=types,
            include_columns=list(types),
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
        ),
    )


def _delimiter(path: Path) -> str:
    return "\t" if unpacked_name(path).endswith(".tsv") else ","


def _rows(path: Path, file: TextIO) -> "Reader":
    return csv.reader(file, delimiter=_delimiter(path))


@contextmanager
def _long_fields() -> Iterator[None]:
    """Lifts the standard reader's limit on the length of a field."""
    usual = csv.field_size_limit(_LONGEST_FIELD)
    try:
        yield
    finally:
        csv.field_size_limit(usual)


def _broken_rows(path: Path, fields: int, limits: Limits, most: int = 10) -> list[str]:
    problems = []
    with open_text(path, limits) as file, _long_fields():
        reader = _rows(path, file)
        for row in reader:
            if row and len(row) != fields:
                found = counted(len(row), "field")
                problems.append(f"{path}, line {reader.line_num}: {found}; it must have {fields}, as the line of names")
                if len(problems) == most:
                    break
    return problems


class _Lines:
    """Says on which line a row stands. Lines are counted only when something is wrong."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self.path, self.limits = path, limits

    def __call__(self, row: int) -> str:
        with open_text(self.path, self.limits) as file, _long_fields():
            reader = _rows(self.path, file)
            rows = (reader.line_num for fields in reader if fields)
            for number, line in enumerate(rows):
                if number == row + 1:
                    return f"line {line}"
        return f"row {row + 1}"


FORMAT = Format(("csv", "tsv"), read_csv)
