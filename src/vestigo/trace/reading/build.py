"""From tables to a Trace: checks every column, puts rows in time order, numbers ids by first appearance."""

import dataclasses
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.columns import LATEST, MISSING, MOST_LOOKUPS, Column
from vestigo.trace.formats.raw import row_place
from vestigo.trace.names import Names
from vestigo.trace.reading import column_kinds
from vestigo.trace.reading.amounts import costs, sizes
from vestigo.trace.reading.column_kinds import NAMES, READERS, Bad
from vestigo.trace.reading.times import times
from vestigo.trace.trace import COLUMNS, LAST_KEYED, Op, Parts, Trace, constant_column
from vestigo.units import counted

_IN_FULL = ("lookup", "node")
"""Columns of few different texts, which are kept as Python's."""

CheckedColumns = dict[str, Any]
"""The columns of one file: arrays, or ids with their values where a column holds texts."""


class Origin(NamedTuple):
    """Where rows come from, for messages: a name, the place of a row ("line 7"), and functions that hear of guessed
    units and of whatever else should be known.
    """

    source: str
    place: Callable[[int], str] = row_place
    guesses: Callable[[str], None] = lambda _: None
    notes: Callable[[str], None] = lambda _: None

    @property
    def what(self) -> str:
        return "the table" if self.source == TABLE else "the file"


class Clock(NamedTuple):
    """How times are written: the unit of `at` (None: told by the magnitude of the numbers), the unit of `cost`, and the
    zone of local times.
    """

    at_unit: str | None = "ns"
    cost_unit: str | None = "ns"
    zone: str | None = None


_OUR_OWN = Clock()
TABLE = "table"
"""What messages call a table in memory."""


def check_columns(table: pa.Table, origin: Origin, clock: Clock = _OUR_OWN) -> CheckedColumns:
    """The columns as arrays. Raises TraceError with a sentence for every wrong column."""
    columns: CheckedColumns = {}
    problems = [
        f"{origin.source}: no column {name!r}; {origin.what} has {', '.join(table.column_names) or 'no columns'}"
        for name in ("at", "key")
        if name not in table.column_names
    ]
    readers = READERS | {
        "time": lambda column: times(column, clock.at_unit, clock.zone, origin.guesses, origin.notes),
        "span": lambda column: costs(column, clock.cost_unit),
        "size": sizes,
    }
    twice = [name for name in NAMES if table.column_names.count(name) > 1]
    problems += [f"{origin.source}: column {name!r} appears twice; rename one" for name in twice]
    once = [name for name in NAMES if table.column_names.count(name) == 1]
    column_kinds.numpy_of(pa.array([0]))  # here, because threads that import at once hang where memory runs out
    with ThreadPoolExecutor() as threads:  # most of the work is done by Arrow and NumPy, which release Python's lock
        tasks = [threads.submit(lambda name: _read(table[name], readers, COLUMNS[name].holds), name) for name in once]
    for name, task in zip(once, tasks, strict=True):
        try:
            columns[name] = task.result()
        except Bad as bad:
            problems.append(_sentence(origin, name, bad))
    if problems:
        raise TraceError(problems)
    _check_keys(columns, origin)
    _note_unnamed(columns, origin)
    return columns


def build_trace(
    pieces: Sequence[CheckedColumns], source: str, notes: Sequence[str] = (), guessed: Sequence[str] = ()
) -> Trace:
    """Builds one trace from all pieces. Raises TraceError."""
    columns = pieces[0] if len(pieces) == 1 else _joined(pieces)
    at = columns["at"]
    order = None
    moved = 0 if np.all(at[1:] >= at[:-1]) else int(np.count_nonzero(at < np.maximum.accumulate(at)))
    if moved:
        order = np.argsort(at, kind="stable")
    return dataclasses.replace(
        _number(columns, order, moved, source, tuple(notes)), guessed=tuple(dict.fromkeys(guessed))
    )


def begins_at(piece: CheckedColumns) -> int:
    """The first time in a piece, in ns."""
    return int(piece["at"].min(initial=LATEST))


def _joined(pieces: Sequence[CheckedColumns]) -> CheckedColumns:
    """The pieces one after the other. A column that some of them do not have is missing there."""
    names = [name for name in NAMES if any(name in piece for piece in pieces)]
    return {name: _joined_column(name, pieces) for name in names}


def _joined_column(name: str, pieces: Sequence[CheckedColumns]) -> object:
    parts = [(piece.get(name), len(piece["at"])) for piece in pieces]
    kinds = {part.dictionary.type for part, _ in parts if isinstance(part, pa.DictionaryArray)}
    if not kinds:
        missing = COLUMNS[name].missing
        return np.concatenate([np.full(rows, missing) if part is None else part for part, rows in parts])
    kind = kinds.pop() if len(kinds) == 1 else pa.large_string()  # 7 in one file and "7" in another are one key
    encoded = pa.dictionary(pa.int32(), kind)
    chunks = [
        pa.DictionaryArray.from_arrays(pa.nulls(rows, pa.int32()), pa.array([], kind))
        if part is None
        else pa.DictionaryArray.from_arrays(part.indices.cast(pa.int32()), part.dictionary.cast(kind))
        for part, rows in parts
    ]
    return pa.chunked_array(chunks, encoded).unify_dictionaries().combine_chunks()


def _whole(column: pa.ChunkedArray) -> pa.Array:
    """A column as one array. If it has only missing values, it becomes text, whatever its type says."""
    if pa.types.is_null(column.type) or column.null_count == len(column) > 0:
        column = pa.chunked_array([pa.nulls(len(column), pa.string())])
    return column.combine_chunks() if column.num_chunks != 1 else column.chunk(0)


_STORED_ONCE = ("name", "key", "identity")
"""What may be stored with each value once, for many rows."""


def _read(column: pa.ChunkedArray, readers: Mapping[str, Callable[[pa.Array], object]], holds: str) -> object:
    whole = _whole(column)
    return readers[holds](whole if holds in _STORED_ONCE else column_kinds.decoded(whole))


def _sentence(origin: Origin, name: str, bad: Bad) -> str:
    where = f"{origin.source}, {origin.place(bad.row or 0)}"
    more = f" (and {bad.rows - 1:,} more rows)" if bad.rows > 1 else ""
    return f"{where}, column {name!r}: found {bad.found}; it must be {bad.expected}{more}"


def _check_keys(found: CheckedColumns, origin: Origin) -> None:
    op = found.get("op")
    unnamed = column_kinds.ids(found["key"]) == MISSING
    keyed = np.ones(len(unnamed), bool) if op is None else op <= LAST_KEYED
    rows = np.flatnonzero(unnamed & keyed)
    if len(rows):
        bad = Bad(int(rows[0]), "nothing", "a key for every read, write, remove, preload and drop", len(rows))
        raise TraceError(_sentence(origin, "key", bad))


def _note_unnamed(columns: CheckedColumns, origin: Origin) -> None:
    """Notes how many rows name no look-up, where others do."""
    if "lookup" not in columns:
        return
    unnamed = column_kinds.ids(columns["lookup"]) == MISSING
    if "op" in columns:
        unnamed &= columns["op"] <= LAST_KEYED
    rows = int(np.count_nonzero(unnamed))
    if 0 < rows < len(unnamed):
        origin.notes(
            counted(rows, "row names no look-up and belongs to 'reads'", "rows name no look-up and belong to 'reads'")
        )


def _number(
    columns: CheckedColumns, order: np.ndarray | None, moved: int, source: str, notes: tuple[str, ...]
) -> Trace:
    rows = len(columns["at"])

    def amounts(column: Column) -> np.ndarray:
        values = columns.get(column.name)
        if values is None:
            return constant_column(column.missing, rows, column.dtype)
        if column.dtype == np.bool_:
            values = values == 1
        return np.ascontiguousarray(values if order is None else values[order], column.dtype)

    op = amounts(COLUMNS["op"])
    keyed = op <= LAST_KEYED
    lookup_names, lookup = _lookups(columns, order, op)
    if len(lookup_names) > MOST_LOOKUPS:
        raise TraceError(
            f"{source}, column 'lookup': {len(lookup_names):,} look-ups, more than {MOST_LOOKUPS:,}; "
            "does the column hold keys?"
        )
    texts, text = _encoded(columns, "key", order)
    key, texts, key_lookup = _keys(texts, text, keyed, lookup)
    parts: Parts = {"lookup": lookup, "lookups": tuple(map(str, lookup_names)), "key": key, "keys": texts}
    for column in COLUMNS.values():
        if column.name in parts:
            continue
        if not column.texts:
            parts[column.name] = amounts(column)
            continue
        values, parts[column.name] = _encoded(columns, column.name, order)
        parts[column.texts] = tuple(map(str, values)) if column.name in _IN_FULL else Names(values)
    return Trace(**parts, key_lookup=key_lookup, moved=moved, source=source, notes=notes)


def _keys(
    texts: pa.Array, text: np.ndarray, keyed: np.ndarray, lookup: np.ndarray
) -> tuple[np.ndarray, Names, np.ndarray]:
    """The key of each row, the text of each key, and its look-up. One text under two look-ups is two keys."""
    all_keyed = bool(keyed.all())
    rows = slice(None) if all_keyed else keyed
    of_text = np.zeros(len(texts), np.int32)
    of_text[text[rows]] = lookup[rows]
    if np.array_equal(of_text[text[rows]], lookup[rows]) and (all_keyed or np.all(text[~keyed] == MISSING)):
        return np.ascontiguousarray(text, np.int32), Names(texts), of_text
    lookups = int(lookup.max(initial=0)) + 1
    key, pairs = dense(np.where(keyed, text.astype(np.int64) * lookups + lookup, MISSING))
    return key, Names(texts, pairs // lookups), (pairs % lookups).astype(np.int32)


def _lookups(columns: CheckedColumns, order: np.ndarray | None, op: np.ndarray) -> tuple[list[str], np.ndarray]:
    """The names of the look-ups, and the look-up of each row. An event with a key but without a look-up belongs to
    `reads`.
    """
    names, lookup = _encoded(columns, "lookup", order)
    unnamed = (lookup == MISSING) & (op <= LAST_KEYED)
    if unnamed.any():
        if "reads" not in names:
            names = [*names, "reads"]
        lookup = np.where(unnamed, np.int32(names.index("reads")), lookup)
        lookup, kept = dense(lookup.astype(np.int64))
        names = [names[i] for i in kept]
    lookup = np.where(op == Op.RESTART, np.int32(MISSING), lookup)
    return names, np.ascontiguousarray(lookup, np.int32)


def _encoded(columns: CheckedColumns, name: str, order: np.ndarray | None) -> tuple[pa.Array, np.ndarray]:
    """The values of a column and the id of each row, numbered by first appearance in time order."""
    encoded = columns.get(name)
    if encoded is None:
        return [] if name in _IN_FULL else pa.array([], pa.string()), constant_column(
            MISSING, len(columns["at"]), np.int32
        )
    values = encoded.dictionary.to_pylist() if name in _IN_FULL else encoded.dictionary
    ids = column_kinds.ids(encoded)
    if order is None:
        return values, ids
    ids, kept = dense(ids[order].astype(np.int64))
    return ([values[i] for i in kept] if isinstance(values, list) else values.take(pa.array(kept))), ids


def dense(codes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Ids by first appearance for codes, and the code of each id. Negative codes have no id."""
    encoded = pa.array(codes, mask=codes < 0).dictionary_encode()
    return column_kinds.ids(encoded), encoded.dictionary.to_numpy(zero_copy_only=False)
