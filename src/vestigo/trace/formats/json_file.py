"""JSON Lines files, with one object on each line."""

import io
import json
import math
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.json as arrow_json

from vestigo.compiled.texts import lines_beyond
from vestigo.errors import TraceError
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.packed import Limits, open_bytes, too_long, whole
from vestigo.trace.formats.raw import Raw, Wanted

_TIME = "a time: text with an offset (RFC 3339), or a number since 1970-01-01 UTC"
_KINDS: dict[str, tuple[tuple[type, ...], str]] = {
    "at": ((int, float, str), _TIME),
    "size": ((int,), "a size in whole bytes"),
    "cost": ((int, float), "a time span as a number"),
    "found": ((bool,), "true or false"),
    "force": ((bool,), "true or false"),
    "op": ((str,), "text"),
    "lookup": ((str, int), "text or a whole number"),
    "scope": ((str, int), "text or a whole number"),
    "node": ((str, int), "text or a whole number"),
    "key": ((str, int), "text or a whole number"),
}
_ANY = ((str, int, float, bool), "text, a number, true or false")
# Whether a null may stand where an object belongs. Arrow's reader crashes on that.
_FIRST_NULL, _LATER_NULL = re.compile(rb"(?:\xef\xbb\xbf)?\s*+null"), re.compile(rb"\}\s*+null")
_TYPES: dict[type, pa.DataType] = {int: pa.int64(), bool: pa.bool_(), str: pa.large_string(), float: pa.float64()}
_EXACT = pa.decimal128(38, 18)
"""Of times and spans with a fraction: every digit that is written."""
_LOOKED_AT = 1_000
_DEEPEST = 100

Line = tuple[int, bytes]


def read_json_lines(path: Path, wanted: Wanted) -> Raw:
    """Reads the wanted columns. If the last line is cut short, as a killed process leaves it, it is skipped, and a note
    says so.
    """
    content, cut = _without_cut_line(safe_lines(path, wanted.limits))
    if has_bare_null(content) and (problems := _broken_lines(path, wanted)):
        raise TraceError(problems)
    columns, types = _first_kinds(content, wanted, _LOOKED_AT)
    try:
        try:
            table = parse(content, _nested(types, columns), "infer")
        except pa.ArrowInvalid:  # perhaps a column that nobody wants holds values of several kinds
            table = parse(content, _nested(_first_kinds(content, wanted, len(content))[1], columns), "ignore")
    except pa.ArrowInvalid as error:
        raise TraceError(_broken_lines(path, wanted) or f"{path}: is not valid JSON Lines: {error}") from None
    table = _with_fields(table, [name for name in wanted.columns if "." in name])
    known = [name for name in table.column_names if name in wanted.columns]
    there = [name for name in known if name in columns or table[name].null_count < len(table)]
    return Raw(table.select(there), _Lines(path), tuple(columns), broken=cut)


def _field(row: dict[str, Any], name: str) -> Any:
    """A member, or a member of a member (``msg.body.instrument``)."""
    value: Any = row
    for part in [name] if name in row else name.split("."):
        value = value.get(part) if isinstance(value, dict) else None
    return value


def _nested(types: dict[str, pa.DataType], columns: list[str]) -> dict[str, pa.DataType]:
    """The types, with those of nested members inside their objects."""
    tree: dict[str, Any] = {}
    for name, kind in types.items():
        *objects, last = [name] if name in columns or "." not in name else name.split(".")
        within = tree
        for one in objects:
            within = within.setdefault(one, {})
            if not isinstance(within, dict):
                break
        else:
            within[last] = kind

    def kind_of(one: Any) -> pa.DataType:
        return pa.struct([(name, kind_of(each)) for name, each in one.items()]) if isinstance(one, dict) else one

    return {name: kind_of(one) for name, one in tree.items()}


def _with_fields(table: pa.Table, names: list[str]) -> pa.Table:
    """The table with nested members as columns."""
    for name in names:
        first, *rest = name.split(".")
        if name in table.column_names or first not in table.column_names:
            continue
        try:
            table = table.append_column(name, pc.struct_field(table[first], rest))
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, TypeError, KeyError):
            continue  # there is no such member
    return table


def safe_lines(path: Path, limits: Limits) -> pa.Buffer:
    """The content, if its lines are safe for Arrow's reader, which calls itself for every nested object.

    Raises TraceError for lines that are too long or nested too deep.
    """
    content = whole(path, limits)
    deep, long = lines_beyond(np.frombuffer(content, np.uint8), _DEEPEST, limits.longest_line)
    if long:
        raise too_long(path, long, limits)
    if deep:
        raise TraceError(
            f"{path}, line {deep}: is nested more than {_DEEPEST} deep; no trace needs that, so leave it out"
        )
    return content


def parse(content: pa.Buffer, types: dict[str, pa.DataType], others: str) -> pa.Table:
    """Reads the content with Arrow's reader. No line may be a bare null. `others` says what happens to other
    columns.
    """
    table = arrow_json.read_json(
        pa.BufferReader(content),
        read_options=arrow_json.ReadOptions(block_size=_block_size(content)),
        parse_options=arrow_json.ParseOptions(
            explicit_schema=pa.schema(list(types.items())), newlines_in_values=False, unexpected_field_behavior=others
        ),
    )
    table.validate(full=True)  # texts may not be UTF-8
    return table


def has_bare_null(content: pa.Buffer) -> bool:
    view = memoryview(content)
    return _FIRST_NULL.match(view) is not None or _LATER_NULL.search(view) is not None


def lines_of(content: pa.Buffer) -> Iterator[Line]:
    """Each line that is not empty, with its number, counted from 1."""
    with io.BufferedReader(pa.BufferReader(content)) as file:
        for number, line in enumerate(file, 1):
            if line.strip():
                yield number, line


def _block_size(content: pa.Buffer) -> int:
    """The size of blocks: 4 MiB, or more if a line is longer, because a line must fit into a block."""
    size = 4 << 20
    if len(content) > size:
        view = memoryview(content)
        longest = max((len(line) for _, line in lines_of(content)), default=0) if _has_long_line(view, size) else 0
        size = min(max(size, 2 * longest), 2**30)
    return size


def _has_long_line(view: memoryview, size: int) -> bool:
    """Whether some stretch of `size` / 2 bytes may contain no line end."""
    step = size // 2
    return any(b"\n" not in bytes(view[begin : begin + step]) for begin in range(0, len(view), step))


def _without_cut_line(content: pa.Buffer) -> tuple[pa.Buffer, tuple[str, ...]]:
    view = memoryview(content)
    if len(view) == 0 or view[-1] == 10:
        return content, ()
    begin = len(view)
    while begin > 0 and view[begin - 1] != 10:  # this is about a line, not the file
        begin = max(begin - (1 << 16), 0)
        newline = bytes(view[begin:]).rfind(b"\n")
        if newline >= 0:
            begin += newline + 1
    if begin == 0 or _is_json(bytes(view[begin:])):
        return content, ()
    return content.slice(0, begin), ("the last line is cut short and left out",)


def _is_json(line: bytes) -> bool:
    try:
        json.loads(line.decode())
    except (ValueError, RecursionError):
        return False
    return True


def _first_kinds(content: pa.Buffer, wanted: Wanted, lines: int) -> tuple[list[str], dict[str, pa.DataType]]:
    """The names in the first lines, and for the wanted ones the kind of their first value."""
    names: dict[str, None] = {}
    types: dict[str, pa.DataType] = {
        name: _TYPES[kinds[0]]
        for name, role in wanted.roles.items()
        if role in _KINDS and len(kinds := _KINDS[role][0]) == 1
    }
    for number, line in lines_of(content):
        if number > lines or (names and set(wanted.columns) <= types.keys()):
            break
        try:
            row = json.loads(line.decode("utf-8-sig"))
        except (ValueError, RecursionError):
            continue
        if isinstance(row, dict):
            names |= dict.fromkeys(row)
            for name in wanted.columns:
                value = _field(row, name)
                if type(value) in _TYPES:
                    broken = _EXACT if wanted.roles.get(name) in ("at", "cost") else pa.float64()
                    kind = types.setdefault(name, broken if type(value) is float else _TYPES[type(value)])
                    if kind == pa.int64() and type(value) is float:
                        types[name] = broken
    return list(names), types


def _broken_lines(path: Path, wanted: Wanted, most: int = 10) -> list[str]:
    """What is wrong, line by line. This is slow, and done only when the fast reader has given up."""
    problems: list[str] = []
    first_kind: dict[str, tuple[type, int]] = {}
    with open_bytes(path) as file:
        for number, line in enumerate(file, 1):
            if line.strip():
                found = _line_problems(line, number, wanted, first_kind)
                problems += [f"{path}, line {number}{problem}" for problem in found]
            if len(problems) >= most:
                break
    return problems[:most]


def _line_problems(line: bytes, number: int, wanted: Wanted, first_kind: dict[str, tuple[type, int]]) -> list[str]:
    twice: list[str] = []

    def as_dict(members: list[tuple[str, Any]]) -> dict[str, Any]:
        names = [name for name, _ in members]
        twice.extend(name for name in dict.fromkeys(names) if names.count(name) > 1)
        return dict(members)

    try:
        row: Any = json.loads(line.decode("utf-8-sig"), object_pairs_hook=as_dict)
    except (ValueError, RecursionError):
        return [": is not valid JSON; every line must be one object"]
    if not isinstance(row, dict):
        return [": is not an object; every line must be one object"]
    problems = [f", column {name!r}: appears twice; leave one out" for name in twice]
    for name in wanted.columns:
        kinds, expected = _KINDS.get(wanted.roles.get(name, ""), _ANY)
        value = _field(row, name)
        if value is None:
            continue
        if type(value) not in kinds:
            problems.append(f", column {name!r}: found {json.dumps(value)[:60]}; it must be {expected}")
        elif type(value) is float and not math.isfinite(value):
            problems.append(f", column {name!r}: found {value}; it must be {expected}")
        elif type(value) is int and not -(2**63) <= value < 2**63:
            problems.append(f", column {name!r}: found {value}; it must be a number of at most 64 bits")
        else:
            kind, line_of_kind = first_kind.setdefault(name, (type(value), number))
            if {kind, type(value)} not in ({kind}, {int, float}):
                shown = json.dumps(value)[:60]
                problems.append(
                    f", column {name!r}: found {shown}; it must be of the same kind as in line {line_of_kind}"
                )
    return problems


class _Lines:
    """Says on which line a row stands. Empty lines are not rows."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def __call__(self, row: int) -> str:
        with open_bytes(self.path) as file:
            lines = (number for number, line in enumerate(file, 1) if line.strip())
            return f"line {next((line for i, line in enumerate(lines) if i == row), row + 1)}"


FORMAT = Format(("jsonl", "ndjson", "json"), read_json_lines)
