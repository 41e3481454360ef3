"""The members of JSON Lines and their kinds: what the first lines show, and which lines are of another kind."""

import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import pyarrow as pa

from vestigo.data import Json
from vestigo.trace.formats.json_lines import lines_of
from vestigo.trace.formats.packed import open_bytes
from vestigo.trace.formats.raw import Wanted

Tree = dict[str, Json]
"""Values, or more of such, by name."""
_TIME = "a time: text with an offset (RFC 3339), or a number since 1970-01-01 UTC"
KINDS: dict[str, tuple[tuple[type, ...], str]] = {
    "at": ((int, float, str), _TIME),
    "size": ((int, str), "a size in whole bytes, or with a unit"),
    "cost": ((int, float, str), "a time span as a number, or with a unit"),
    "hit_cost": ((int, float, str), "a time span as a number, or with a unit"),
    "found": ((bool,), "true or false"),
    "force": ((bool,), "true or false"),
    "op": ((str,), "text"),
}
"""Columns whose values have a kind. All others are texts: numbers and lists become text as they are written."""
_TYPES: dict[type, pa.DataType] = {int: pa.int64(), bool: pa.bool_(), str: pa.large_string(), float: pa.float64()}
_EXACT = pa.decimal128(38, 18)
"""Of times and spans with a fraction: every digit that is written."""
_DEEPEST_NAME = 4
"""Members of members are named to this depth in messages."""


class Seen(NamedTuple):
    """What the first lines show."""

    columns: tuple[str, ...]
    """The members of a line."""
    named: tuple[str, ...]
    """The same with the members of objects (``msg.body.instrument``), for messages."""
    types: dict[str, pa.DataType]
    """The kind of the first value of each wanted member."""
    loose: frozenset[str]
    """Wanted members with objects or lists, or within lists, which are read as texts."""
    first_time: str
    """The first time as it is written, if it is text."""

    @classmethod
    def of(cls, content: pa.Buffer, wanted: Wanted, lines: int) -> "Seen":
        columns: dict[str, None] = {}
        named: dict[str, None] = {}
        types: dict[str, pa.DataType] = {}
        loose: set[str] = set()
        first_time = ""
        for number, line in lines_of(content):
            if number > lines or (columns and set(wanted.columns) <= types.keys() | loose):
                break
            try:
                row = json.loads(line.decode("utf-8-sig"))
            except (ValueError, RecursionError):
                continue
            if not isinstance(row, dict):
                continue
            columns |= dict.fromkeys(row)
            named |= dict.fromkeys(_names(row))
            for name in wanted.columns:
                value, is_in_list = _field(row, name)
                if is_in_list or isinstance(value, (dict, list)):
                    loose.add(name)
                elif type(value) in KINDS.get(wanted.roles.get(name, ""), (_TYPES, ""))[0]:
                    first_time = first_time or (str(value) if wanted.roles.get(name) == "at" else "")
                    _note_kind(types, name, value, is_exact=wanted.roles.get(name) in ("at", "cost"))
        for name, role in wanted.roles.items():
            if role in KINDS and role not in ("at", "cost"):
                types.setdefault(name, _TYPES[KINDS[role][0][0]])
        return cls(tuple(columns), tuple(named), types, frozenset(loose), first_time)

    def schema(self, without: Sequence[str] = ()) -> dict[str, pa.DataType]:
        """The types, with those of nested members inside their objects."""
        tree: Tree = {}
        for name, kind in self.types.items():
            if name in without:
                continue
            *objects, last = [name] if name in self.columns or "." not in name else name.split(".")
            within = tree
            for member in objects:
                within = within.setdefault(member, {})
                if not isinstance(within, dict):
                    break
            else:
                within[last] = kind
        return {name: _type_of(one) for name, one in tree.items()}


def _type_of(one: Json) -> pa.DataType:
    return pa.struct([(name, _type_of(each)) for name, each in one.items()]) if isinstance(one, dict) else one


def _note_kind(types: dict[str, pa.DataType], name: str, value: object, *, is_exact: bool) -> None:
    """Notes the kind of a value, unless one is known. Numbers with a fraction take in whole ones."""
    broken = _EXACT if is_exact else pa.float64()
    kind = types.setdefault(name, broken if type(value) is float else _TYPES[type(value)])
    if kind == pa.int64() and type(value) is float:
        types[name] = broken


def _names(row: Tree, before: str = "", depth: int = 1) -> list[str]:
    """The names of members, and of members of members in place of objects."""
    names: list[str] = []
    for name, value in row.items():
        inner = isinstance(value, dict) and depth < _DEEPEST_NAME
        names += _names(value, f"{before}{name}.", depth + 1) if inner else [f"{before}{name}"]
    return names


def _field(row: dict[str, object], name: str) -> tuple[object, bool]:
    """A member, or a member of a member (``msg.body.instrument``), and whether it is within a list (``args.0``)."""
    value: object = row
    is_in_list = False
    for part in [name] if name in row else name.split("."):
        is_in_list |= isinstance(value, list)
        value = value.get(part) if isinstance(value, dict) else None
    return value, is_in_list


def broken_lines(path: Path, wanted: Wanted, most: int = 10) -> list[str]:
    """What is wrong, line by line. This is slow, and done only when the fast reader has given up."""
    problems: list[str] = []
    first_kind: dict[str, tuple[type, int]] = {}
    with open_bytes(path, wanted.limits) as file:
        for number, line in enumerate(file, 1):
            if line.strip():
                found = _line_problems(line, number, wanted, first_kind)
                problems += [f"{path}, line {number}{problem}" for problem in found]
            if len(problems) >= most:
                break
    return problems[:most]


def _line_problems(line: bytes, number: int, wanted: Wanted, first_kind: dict[str, tuple[type, int]]) -> list[str]:
    twice: list[str] = []

    def as_dict(members: list[tuple[str, object]]) -> dict[str, object]:
        names = [name for name, _ in members]
        twice.extend(name for name in dict.fromkeys(names) if names.count(name) > 1)
        return dict(members)

    try:
        row: object = json.loads(line.decode("utf-8-sig"), object_pairs_hook=as_dict)
    except (ValueError, RecursionError):
        return [": is not valid JSON; every line must be one object"]
    if not isinstance(row, dict):
        return [": is not an object; every line must be one object"]
    problems = [f", column {name!r}: appears twice; leave one out" for name in twice]
    for name, role in wanted.roles.items():
        kinds, expected = KINDS.get(role, ((), ""))
        value, _ = _field(row, name)
        if value is None or not kinds:
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
