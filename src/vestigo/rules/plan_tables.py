"""The tables of a plan file, the line of each key, and the problems that were found."""

import re
from collections.abc import Iterator
from typing import Any

from vestigo.errors import unknown
from vestigo.rules.rules import Rules
from vestigo.rules.trade_words import unknown_rule

_TABLE = re.compile(r"\s*\[\s*([^\[\]]+?)\s*\]\s*(?:#.*)?$")
_KEY = re.compile(r"""\s*((?:[A-Za-z0-9_-]+|"[^"]*"|'[^']*')(?:\s*\.\s*(?:[A-Za-z0-9_-]+|"[^"]*"|'[^']*'))*)\s*=""")
_PART = re.compile(r"""[A-Za-z0-9_-]+|"[^"]*"|'[^']*'""")

Place = tuple[str, ...]
Table = dict[str, Any]
Found = dict[str, tuple[Any, Place]]
"""Values by rule, with where they stand."""


def key_lines(text: str) -> dict[Place, int]:
    """The line, from 1, on which each table and key is first named.

    >>> key_lines("[rules]\\nabsolute = '1h'\\n[candidate.big]\\nrules.absolute = '2h'")[("candidate", "big", "rules")]
    4
    """
    lines: dict[Place, int] = {}
    table: Place = ()
    for number, line in enumerate(text.splitlines(), 1):
        if header := _TABLE.match(line):
            path = table = _parts(header[1])
        elif key := _KEY.match(line):
            path = (*table, *_parts(key[1]))
        else:
            continue
        for length in range(1, len(path) + 1):
            lines.setdefault(path[:length], number)
    return lines


def _parts(dotted: str) -> Place:
    return tuple(part.strip("\"'") for part in _PART.findall(dotted))


class Tables:
    """Hands out tables, and collects problems with their lines."""

    def __init__(self, text: str) -> None:
        self.lines = key_lines(text)
        self.problems: list[tuple[int, str]] = []

    def table(self, where: Place, name: str, tables: Table) -> Table:
        table = tables.get(name, {})
        if isinstance(table, dict):
            return table
        self.wrong((*where, name), f"{table!r} is not a table; write [{'.'.join((*where, name))}]")
        return {}

    def subtables(self, where: Place, name: str, tables: Table) -> list[tuple[str, Table]]:
        parent = self.table(where, name, tables)
        return [(child, self.table((*where, name), child, parent)) for child in parent]

    def subtables_at(self, where: Place, path: Place, tables: Table) -> list[tuple[str, Table]]:
        """The tables below a dotted path, if it exists."""
        for name in path[:-1]:
            where, tables = (*where, name), self.table(where, name, tables)
        return self.subtables(where, path[-1], tables)

    def known(self, where: Place, table: Table, names: list[str]) -> None:
        for name in table:
            if name in names:
                continue
            if name in Rules.model_fields and "rules" in names:
                problem = f"{name!r} belongs in a table; write rules.{name} or lookup.NAME.{name}"
            else:
                problem = unknown_rule(name, names) if "absolute" in names else unknown(name, names)
            self.wrong((*where, name), problem)

    def wrong(self, where: Place, problem: str) -> None:
        names_the_key = problem.split(" ", 1)[0] in (where[-1], repr(where[-1]))
        self.problems.append((self.line(where), problem if names_the_key else f"{'.'.join(where)}: {problem}"))

    def line(self, where: Place) -> int:
        """The line of a key, or of the table that it would be in."""
        return next((self.lines[where[:n]] for n in range(len(where), 0, -1) if where[:n] in self.lines), 1)

    def leaves(self, path: Place, table: Table) -> Iterator[tuple[Place, object]]:
        """The values of a table with their keys, whether the keys are dotted or quoted as a whole."""
        for key, value in table.items():
            if isinstance(value, dict):
                yield from self.leaves((*path, key), value)
            else:
                yield (*path, key), value

    def layers(self, *sources: tuple[Place, Table, Place]) -> Found:
        """The value of each rule and where it stands. The table that is named first wins."""
        layered: Found = {}
        for base, tables, path in reversed(sources):
            where, table = base, tables
            for name in path:
                where, table = (*where, name), self.table(where, name, table)
            layered |= {key: (value, (*where, key)) for key, value in table.items()}
        return layered

    def stated(self, where: Place, place: Place) -> Place:
        """Where a candidate's setting stands: in the candidate, or in the plan that it changes."""
        own = (*where, *place)
        return own if own in self.lines or place not in self.lines else place
