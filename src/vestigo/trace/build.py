"""From an Arrow table to a Trace: every column checked, rows in time order, ids by first appearance."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace import columns
from vestigo.trace.columns import COLUMNS, Bad
from vestigo.trace.trace import MISSING, Op, Trace

MOST_LOOKUPS = 10_000


def to_arrow(table: Any) -> pa.Table:
    """An Arrow table from one, from a DataFrame, or from a mapping of columns."""
    try:
        if isinstance(table, pa.Table):
            return table
        if isinstance(table, Mapping):
            return pa.table(
                {name: column if isinstance(column, pa.Array) else pa.array(column) for name, column in table.items()}
            )
        return pa.Table.from_pandas(table, preserve_index=False)
    except (pa.ArrowInvalid, pa.ArrowTypeError) as error:
        raise TraceError(f"table: a column cannot be read: {error}") from None


def build_trace(table: pa.Table, source: str, place: Callable[[int], str]) -> Trace:
    """Checks and converts. `place` says where a row stands in the source ("line 7"), for messages.

    Raises TraceError with a sentence for every wrong column.
    """
    found = _read_columns(table, source, place)
    at = found["at"]
    _check_keys(found, source, place)
    order = None
    moved = int(np.count_nonzero(at < np.maximum.accumulate(at))) if len(at) else 0
    if moved:
        order = np.argsort(at, kind="stable")
    return _number(found, order, moved, source)


def _read_columns(table: pa.Table, source: str, place: Callable[[int], str]) -> dict[str, Any]:
    problems, found = [], {}
    for name in ("at", "key"):
        if name not in table.column_names:
            problems.append(
                f"{source}: no column {name!r}; the file has {', '.join(table.column_names) or 'no columns'}"
            )
    for name, read in COLUMNS.items():
        if table.column_names.count(name) > 1:
            problems.append(f"{source}: column {name!r} stands there twice; rename one")
        elif name in table.column_names:
            try:
                found[name] = read(_whole(table[name]))
            except Bad as bad:
                problems.append(_sentence(source, place, name, bad))
    if problems:
        raise TraceError(problems)
    return found


def _whole(column: pa.ChunkedArray) -> pa.Array:
    """One array; a column of nothing but missing values, whose kind no one knows, as text."""
    if pa.types.is_null(column.type):
        column = column.cast(pa.string())
    return column.combine_chunks() if column.num_chunks != 1 else column.chunk(0)


def _sentence(source: str, place: Callable[[int], str], name: str, bad: Bad) -> str:
    where = f"{source}, {place(bad.row or 0)}"
    more = f" (and {bad.rows - 1:,} more rows)" if bad.rows > 1 else ""
    return f"{where}, column {name!r}: {bad.found} stands there; expected is {bad.expected}{more}"


def _check_keys(found: dict[str, Any], source: str, place: Callable[[int], str]) -> None:
    op = found.get("op")
    unnamed = columns.ids(found["key"]) == MISSING
    keyed = np.ones(len(unnamed), bool) if op is None else op <= Op.REMOVE
    rows = np.flatnonzero(unnamed & keyed)
    if len(rows):
        bad = Bad(int(rows[0]), "nothing", "a key for every read, write and remove", len(rows))
        raise TraceError(_sentence(source, place, "key", bad))


def _number(found: dict[str, Any], order: np.ndarray | None, moved: int, source: str) -> Trace:
    rows = len(found["at"])

    def column(name: str, missing: int, dtype: type) -> np.ndarray:
        values = found.get(name)
        if values is None:
            return np.full(rows, missing, dtype)
        return np.ascontiguousarray(values if order is None else values[order], dtype)

    op = column("op", Op.READ, np.uint8)
    keyed = op <= Op.REMOVE
    lookup_names, lookup = _lookups(found, order, op)
    lookups = max(len(lookup_names), 1)
    if len(lookup_names) > MOST_LOOKUPS:
        raise TraceError(
            f"{source}, column 'lookup': {len(lookup_names):,} look-ups, more than {MOST_LOOKUPS:,}; "
            "does the column hold keys?"
        )
    texts, text = _encoded(found, "key", order)
    key, pairs = dense(np.where(keyed, text.astype(np.int64) * lookups + lookup, MISSING))
    key_lookup = (pairs % lookups).astype(np.int32)
    nodes, node = _encoded(found, "node", order)
    _, version = _encoded(found, "version", order)
    _, scope = _encoded(found, "scope", order)
    return Trace(
        at=column("at", 0, np.int64),
        op=op,
        lookup=lookup,
        key=key,
        size=column("size", MISSING, np.int64),
        cost=column("cost", MISSING, np.int64),
        found=column("found", MISSING, np.int8),
        version=version,
        scope=scope,
        node=node,
        force=column("force", 0, np.int8) == 1,
        lookups=tuple(map(str, lookup_names)),
        keys=_KeyNames(texts, pairs // lookups),
        key_lookup=key_lookup,
        nodes=tuple(map(str, nodes)),
        moved=moved,
        source=source,
    )


def _lookups(found: dict[str, Any], order: np.ndarray | None, op: np.ndarray) -> tuple[list[str], np.ndarray]:
    """The look-ups' names and each row's. A read, write or remove that names none is of `reads`."""
    names, lookup = _encoded(found, "lookup", order)
    unnamed = (lookup == MISSING) & (op <= Op.REMOVE)
    if unnamed.any():
        if "reads" not in names:
            names = [*names, "reads"]
        lookup = np.where(unnamed, np.int32(names.index("reads")), lookup)
        lookup, kept = dense(lookup.astype(np.int64))
        names = [names[i] for i in kept]
    lookup = np.where(op == Op.RESTART, np.int32(MISSING), lookup)
    return names, np.ascontiguousarray(lookup, np.int32)


def _encoded(found: dict[str, Any], name: str, order: np.ndarray | None) -> tuple[list[Any], np.ndarray]:
    """The values of a column and each row's id, by first appearance in time order."""
    encoded = found.get(name)
    if encoded is None:
        return [], np.full(len(found["at"]), MISSING, np.int32)
    values = encoded.dictionary.to_pylist() if name in ("lookup", "node") else encoded.dictionary
    ids = columns.ids(encoded)
    if order is None:
        return values, ids
    ids, kept = dense(ids[order].astype(np.int64))
    return ([values[i] for i in kept] if isinstance(values, list) else values.take(pa.array(kept))), ids


def dense(codes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Ids by first appearance for codes (negative: none), and the code of each id."""
    encoded = pa.array(codes, mask=codes < 0).dictionary_encode()
    return columns.ids(encoded), encoded.dictionary.to_numpy(zero_copy_only=False)


class _KeyNames(Sequence[Any]):
    """The text of each key, looked up when it is asked for: there may be millions."""

    def __init__(self, texts: pa.Array, ids: np.ndarray) -> None:
        self._texts, self._ids = texts, ids

    def __len__(self) -> int:
        return len(self._ids)

    def __getitem__(self, key: Any) -> Any:
        found = self._texts.take(pa.array(np.atleast_1d(self._ids[key]))).to_pylist()
        return found if isinstance(key, slice) else found[0]
