"""JSON Lines files, with one object on each line."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.compiled.texts import members
from vestigo.errors import TraceError
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.json_kinds import KINDS, Seen, broken_lines
from vestigo.trace.formats.json_lines import has_bare_null, parse, safe_lines, without_cut_line
from vestigo.trace.formats.packed import Limits, open_bytes
from vestigo.trace.formats.raw import Raw, Wanted

_LOOKED_AT, _LOOKED_AT_BYTES = 1_000, 32 << 20
"""How many lines say what there is, and in how many bytes they must be."""


def read_json_lines(path: Path, wanted: Wanted) -> Raw:
    """Reads the wanted columns. If the last line is cut short, as a killed process leaves it, it is skipped, and a note
    says so.
    """
    content, cut = without_cut_line(safe_lines(path, wanted.limits))
    if has_bare_null(content) and (problems := broken_lines(path, wanted)):
        raise TraceError(problems)
    seen = Seen.of(content.slice(0, min(len(content), _LOOKED_AT_BYTES)), wanted, _LOOKED_AT)
    try:
        table = _table(content, wanted, seen)
    except pa.ArrowInvalid as error:
        raise TraceError(broken_lines(path, wanted) or f"{path}: is not valid JSON Lines: {error}") from None
    known = [name for name in table.column_names if name in wanted.columns]
    there = [name for name in known if name in seen.columns or table[name].null_count < len(table)]
    return Raw(
        table.select(there), _Lines(path, wanted.limits), tuple(seen.named), first_time=seen.first_time, broken=cut
    )


def _table(content: pa.Buffer, wanted: Wanted, seen: Seen) -> pa.Table:
    """The wanted columns by Arrow's reader, as far as the first lines show values of one kind, and else as texts."""
    if not seen.loose:
        try:
            return _with_fields(parse(content, seen.schema(), "infer"), wanted.columns)
        except pa.ArrowInvalid:  # perhaps of a column that nobody wants
            pass
    texts = [name for name in wanted.columns if name not in seen.types or name in seen.loose]
    try:
        table = parse(content, seen.schema(texts), "ignore")
    except pa.ArrowInvalid:  # perhaps a number here and a text there
        texts = [name for name in wanted.columns if name in texts or wanted.roles.get(name) not in KINDS]
        table = parse(content, seen.schema(texts), "ignore")
    table = _with_fields(table, wanted.columns)
    for name in texts:
        if len(column := _as_texts(content, name)) != len(table) and table.num_columns:
            raise pa.ArrowInvalid("more than one object on a line")
        table = table.append_column(name, column) if table.num_columns else pa.table({name: column})
    return table


def _as_texts(content: pa.Buffer, name: str) -> pa.Array:
    """A member as text, whatever its kinds are."""
    offsets, letters, missing, twice = members(np.frombuffer(content, np.uint8), name)
    if twice:
        raise pa.ArrowInvalid("a member is there twice")
    valid = pa.array(missing == 0).buffers()[1]
    buffers = [valid, pa.py_buffer(offsets), pa.py_buffer(letters)]
    column = pa.LargeStringArray.from_buffers(len(missing), buffers[1], buffers[2], buffers[0])
    column.validate(full=True)  # texts may not be UTF-8
    return column


def _with_fields(table: pa.Table, names: Sequence[str]) -> pa.Table:
    """The table with nested members as columns."""
    for name in (name for name in names if "." in name):
        first, *rest = name.split(".")
        if name in table.column_names or first not in table.column_names:
            continue
        try:
            table = table.append_column(name, pc.struct_field(table[first], rest))
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, TypeError, KeyError):
            continue  # there is no such member
    return table


class _Lines:
    """Says on which line a row stands. Empty lines are not rows."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self.path, self.limits = path, limits

    def __call__(self, row: int) -> str:
        with open_bytes(self.path, self.limits) as file:
            lines = (number for number, line in enumerate(file, 1) if line.strip())
            return f"line {next((line for i, line in enumerate(lines) if i == row), row + 1)}"


FORMAT = Format(("jsonl", "ndjson", "json"), read_json_lines, is_of_messages=True)
