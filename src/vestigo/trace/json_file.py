"""JSON Lines files: one object a line."""

import json
import re
from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pyarrow.json as arrow_json

from vestigo.errors import TraceError
from vestigo.trace.columns import COLUMNS
from vestigo.trace.packed import open_bytes, whole

_KINDS: dict[str, tuple[tuple[type, ...], str]] = {
    "at": ((int,), "a time in whole ns since 1970-01-01 UTC"),
    "size": ((int,), "a size in whole bytes"),
    "cost": ((int,), "a time span in whole ns"),
    "found": ((bool,), "true or false"),
    "force": ((bool,), "true or false"),
    "op": ((str,), "text"),
    "lookup": ((str,), "text"),
    "scope": ((str,), "text"),
    "node": ((str,), "text"),
    "key": ((str, int), "text or a whole number"),
    "version": ((str, int, float, bool), "text or a number"),
}
# Whether a null may stand where an object belongs: Arrow's reader does not survive that.
_BARE_NULL = re.compile(rb"(?:\A(?:\xef\xbb\xbf)?|\})\s*+null")
_TYPES = {int: pa.int64(), bool: pa.bool_(), str: pa.string()}


def read_json_lines(path: Path) -> tuple[pa.Table, Callable[[int], str]]:
    """The columns of a trace, and how to say where a row stands."""
    content = whole(path)
    if _BARE_NULL.search(memoryview(content)) and (problems := _broken_lines(path)):
        raise TraceError(problems)
    schema = pa.schema([(name, _TYPES[kinds[0]]) for name, (kinds, _) in _KINDS.items() if len(kinds) == 1])
    try:
        table = arrow_json.read_json(
            pa.BufferReader(content),
            parse_options=arrow_json.ParseOptions(explicit_schema=schema, newlines_in_values=False),
        )
    except pa.ArrowInvalid as error:
        raise TraceError(_broken_lines(path) or f"{path}: is not valid JSON Lines: {error}") from None
    present = [name for name in table.column_names if name in COLUMNS and table[name].null_count < len(table)]
    return table.select(present), _Lines(path)


def _broken_lines(path: Path, most: int = 10) -> list[str]:
    """What is wrong, line by line: slow, and done only when the fast reader has given up."""
    problems: list[str] = []
    first_kind: dict[str, tuple[type, int]] = {}
    with open_bytes(path) as file:
        for number, line in enumerate(file, 1):
            if line.strip():
                problems += [f"{path}, line {number}{problem}" for problem in _line_problems(line, number, first_kind)]
            if len(problems) >= most:
                break
    return problems[:most]


def _line_problems(line: bytes, number: int, first_kind: dict[str, tuple[type, int]]) -> list[str]:
    try:
        row = json.loads(line)
    except (ValueError, RecursionError):
        return [": is not valid JSON; expected is one object a line"]
    if not isinstance(row, dict):
        return [": is not an object; expected is one object a line"]
    problems = []
    for name, (kinds, expected) in _KINDS.items():
        value = row.get(name)
        if value is None:
            continue
        if type(value) not in kinds:
            problems.append(f", column {name!r}: {json.dumps(value)[:60]} stands there; expected is {expected}")
        elif type(value) is int and not -(2**63) <= value < 2**63:
            problems.append(f", column {name!r}: {value} stands there; expected is a number of at most 64 bits")
        else:
            kind, line_of_kind = first_kind.setdefault(name, (type(value), number))
            if kind is not type(value):
                shown = json.dumps(value)[:60]
                problems.append(f", column {name!r}: {shown} stands there; expected is the kind of line {line_of_kind}")
    return problems


class _Lines:
    """Says on which line a row stands: empty lines are no rows."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def __call__(self, row: int) -> str:
        with open_bytes(self.path) as file:
            lines = (number for number, line in enumerate(file, 1) if line.strip())
            return f"line {next((line for i, line in enumerate(lines) if i == row), row + 1)}"
