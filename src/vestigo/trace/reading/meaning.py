"""Gives the rows of a file the meaning that the user, or else the format, states."""

import functools
from collections.abc import Callable, Mapping, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.trace.formats.format import Defaults
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.trace.reading.build import TABLE
from vestigo.trace.reading.column_kinds import NAMES
from vestigo.trace.reading.intake import Intake
from vestigo.trace.reading.pattern import divide
from vestigo.trace.reading.template import Template, as_text
from vestigo.trace.trace import LAST_KEYED, OPS
from vestigo.units import counted

_MOST_SHOWN = 10
_LISTED = 40


class Meaning:
    """An Intake joined with the defaults of a format: which columns are wanted, and what they become."""

    def __init__(self, intake: Intake, defaults: Defaults, *, is_of_messages: bool = False) -> None:
        self.intake = intake
        self.is_of_messages = is_of_messages
        self.given = intake.templates({})
        self.templates = intake.templates(defaults.columns)
        self.match = intake.match or defaults.match
        self.null_where = intake.null_where or defaults.null_where
        self.marked = {"null_where": self.null_where, "hit_where": intake.hit_where}
        """Columns of the file whose values say something of a row."""
        if intake.patterns and self.match is None:
            raise TraceError("match: patterns are there, but not what they are matched with; write match = '{COLUMN}'")
        if intake.patterns and "key" not in self.given:
            self.templates.pop("key", None)
        if intake.patterns:
            self.templates.pop("lookup", None)

        self.own_cost = Template.parse(defaults.columns["cost"]).plain

    @property
    def wanted(self) -> Wanted:
        templates = [*self.templates.values(), *self._match()]
        columns = [column for template in templates for column in template.columns]
        columns += [column for table in self.marked.values() for column in table]
        roles = {template.plain: name for name, template in self.templates.items() if template.plain is not None}
        return Wanted(tuple(dict.fromkeys(columns)), roles, self.intake.limits)

    def apply(self, raw: Raw, source: str) -> tuple[pa.Table, Callable[[int], str], list[str]]:
        """The columns of a trace, the place of each row in the file, and notes on what was left out."""
        self._check_columns(raw, source)
        try:
            columns = self._composed(raw.table)
        except ValueError as error:  # lists or structures where text is needed
            raise TraceError(f"{source}: {error}") from None
        broken, place = list(raw.broken), raw.place
        notes = [*raw.notes, *self._unused(raw, columns), *self._never_there(raw.table), *self._constant_keys()]
        if self.intake.hit_where and "cost" not in columns:
            notes.append("hit_where has no effect: no column says how long a read took (columns.cost)")
        if self.intake.patterns:
            unmatched = np.flatnonzero(columns["lookup"].is_null().to_numpy(zero_copy_only=False))
            if len(unmatched):
                broken.append(_unmatched(self._matched(raw.table), unmatched, raw.place))
                columns, place = _without(columns, unmatched, place)
        if self.is_of_messages:
            keyless = _keyless(columns)
            if 0 < len(keyless) < len(columns["key"]):
                broken.append(
                    f"left out {counted(len(keyless), 'message')} without a key, the first in {place(int(keyless[0]))}"
                )
                columns, place = _without(columns, keyless, place)
        if broken and self.intake.strict:
            raise TraceError([f"{source}: {note}" for note in broken])
        return pa.table(columns) if columns else pa.table({}), place, broken + notes

    def _composed(self, table: pa.Table) -> dict[str, pa.Array]:
        """The columns of a trace, as far as the file's columns tell them. Raises ValueError."""
        there = set(table.column_names)
        columns = {
            name: template.compose(table)
            for name, template in self.templates.items()
            if there.issuperset(template.needed)
        }
        for column, nulls in self.null_where.items():
            if column in there:
                columns["found"] = _is_other(table[column], nulls)
        if self.intake.hit_where and "cost" in columns:
            hits = [_is_one(table[column], values) for column, values in self.intake.hit_where.items()]
            columns["hit_cost"], columns["cost"] = _divided(columns["cost"], functools.reduce(pc.or_, hits))
        if self.intake.patterns:
            columns["lookup"], key = divide(self._matched(table), self.intake.parsed_patterns)
            columns.setdefault("key", key)
        return columns

    def _matched(self, table: pa.Table) -> pa.Array:
        """For each row, the text that patterns are matched with."""
        texts = as_text(self._match()[0].compose(table))
        return texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts

    def _match(self) -> list[Template]:
        return [Template.parse(self.match)] if self.intake.patterns and self.match is not None else []

    def _unused(self, raw: Raw, found: Mapping[str, pa.Array]) -> list[str]:
        """A note for each column that is not used, and whose name is nearly that of one that is not there."""
        used = {column for template in [*self.templates.values(), *self._match()] for column in template.columns}
        absent = [name for name in NAMES if name not in found]
        used |= {column for table in self.marked.values() for column in table}
        near = {column: _near(column, absent) for column in raw.has if column not in used}
        return [f"column {column!r} is not used; did you mean {name}?" for column, name in near.items() if name]

    def _never_there(self, table: pa.Table) -> list[str]:
        """A note for each column of `null_where` or `hit_where` whose value no row has."""
        return [
            f"{name}: no row has {column} = {_shown(values)}, so no read counts as a {what} by that"
            for name, what in (("null_where", "null"), ("hit_where", "hit"))
            for column, values in getattr(self.intake, name).items()
            if column in table.column_names and len(table) and not _holds(table[column], values)
        ]

    def _constant_keys(self) -> list[str]:
        key = self.given.get("key")
        if key is None or key.columns:
            return []
        return [f"every key is {key.pieces[0]!r}; for a column write it in braces, as in columns.key = '{{NAME}}'"]

    def _check_columns(self, raw: Raw, source: str) -> None:
        """Raises an error unless the file has every column that the user names."""
        named = {f"column {name!r}": template.needed for name, template in self.given.items()}
        named["match"] = tuple(column for template in self._match() for column in template.needed)
        named |= {name: tuple(getattr(self.intake, name)) for name in self.marked}
        has = f"the {'table' if source == TABLE else 'file'} has {_listed(raw.has)}"
        braceless = [
            f"{source}: {template.pieces[0]!r} is a constant for the column {name!r}, and a column is called so, too; "
            f"write columns.{name} = '{{{template.pieces[0]}}}' for that column"
            for name, template in self.given.items()
            if not template.columns and template.pieces[0] in raw.has
        ]
        missing = [
            f"{source}: no column {column!r}, which {what} is made of; {has}"
            for what, columns in named.items()
            for column in columns
            if column not in raw.table.column_names
        ]
        required = [
            f"{source}: no column {name!r}; {has}; say what it is made of: "
            f'columns.{name} = "{{{_likely(raw.has, name)}}}", for example'
            for name in ("at", "key")
            if name not in self.given
            and not (name == "key" and self.intake.patterns)
            and not (name in self.templates and set(self.templates[name].needed) <= set(raw.table.column_names))
        ]
        if problems := braceless + missing + required:
            raise TraceError(problems)


def _listed(has: Sequence[str]) -> str:
    more = f" and {len(has) - _LISTED:,} more" if len(has) > _LISTED else ""
    return f"{', '.join(has[:_LISTED])}{more}" if has else "no columns"


def _likely(has: Sequence[str], name: str) -> str:
    """A column that serves as an example in messages: for the time the first that is no other, for the key the next."""
    others = [one for one in has if one not in NAMES]
    return [*others, "time", "id"][1 if name == "key" and len(others) != 1 else 0]


def _is_other(column: pa.ChunkedArray, nulls: object) -> pa.ChunkedArray:
    """Whether each value differs from those that stand for a null. Missing where the value is."""
    return pc.if_else(pc.is_valid(column), pc.invert(_is_one(column, nulls)), pa.scalar(None, pa.bool_()))


def _is_one(column: pa.ChunkedArray, values: object) -> pa.ChunkedArray:
    """Whether each value is one of these."""
    return pc.is_in(as_text(column), value_set=pa.array(_stated(values), pa.large_string()))


def _divided(column: pa.ChunkedArray, flags: pa.ChunkedArray) -> tuple[pa.ChunkedArray, pa.ChunkedArray]:
    """The values where a flag is set, and those where it is not. Each is missing where the other is."""
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    nothing = pa.scalar(None, column.type)
    return pc.if_else(flags, column, nothing), pc.if_else(flags, nothing, column)


def _holds(column: pa.ChunkedArray, values: object) -> bool:
    return bool(pc.any(_is_one(column, values)).as_py())


def _stated(values: object) -> list[str]:
    return [_plain(value) for value in (values if isinstance(values, (list, tuple)) and values else [values])]


def _shown(values: object) -> str:
    return " or ".join(_stated(values))


def _near(column: str, names: Sequence[str]) -> str | None:
    """The name that was likely meant: the same in other letters, one letter more or less, or one letter otherwise."""
    word = column.lower()
    if word in names:
        return word
    from difflib import get_close_matches

    close = get_close_matches(word, [name for name in names if len(name) > 2], n=1, cutoff=0.75)
    return close[0] if close and close[0][0] == word[0] else None


def _plain(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _keyless(columns: dict[str, pa.Array]) -> np.ndarray:
    """The rows that need a key and have none."""
    if "key" not in columns:
        return np.array([], np.int64)
    keyless = pc.is_null(columns["key"])
    if "op" in columns:
        needs = pc.is_in(pc.fill_null(as_text(columns["op"]), "read"), value_set=pa.array(OPS[: LAST_KEYED + 1]))
        keyless = pc.and_(keyless, needs)
    return np.flatnonzero(keyless.to_numpy(zero_copy_only=False))


def _without(
    found: dict[str, pa.Array], rows: np.ndarray, place: Callable[[int], str]
) -> tuple[dict[str, pa.Array], Callable[[int], str]]:
    kept = np.setdiff1d(np.arange(len(next(iter(found.values())))), rows, assume_unique=True)
    taken = {name: column.take(pa.array(kept)) for name, column in found.items()}
    return taken, lambda row: place(int(kept[row]) if row < len(kept) else row)


def _unmatched(texts: pa.Array, rows: np.ndarray, place: Callable[[int], str]) -> str:
    distinct = texts.take(pa.array(rows)).unique()[:_MOST_SHOWN].to_pylist()
    shown = ", ".join("nothing" if text is None else repr(text)[:80] for text in distinct)
    return f"left out {counted(len(rows), 'row')} that no pattern matches, the first in {place(int(rows[0]))} ({shown})"
