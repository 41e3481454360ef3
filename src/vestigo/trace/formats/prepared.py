"""The prepared form of a trace: an Arrow IPC file with the very columns that a Trace holds.

Written once, opened without copying: ids as they are numbered in the trace, with the texts behind them as
dictionaries, all in one batch. Any reader of Arrow files can read it. Where a value is missing, the file says so as
Arrow does, and MISSING stands in its place, which is what is mapped.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.names import Names, arrow_names
from vestigo.trace.reading.build import MOST_LOOKUPS
from vestigo.trace.reading.columns import LARGEST, OPS
from vestigo.trace.reading.times import EARLIEST, LATEST, LONGEST
from vestigo.trace.trace import LAST_KEYED, MISSING, Op, Trace, alike

_PIECE = 1 << 18
_ALWAYS = ("at", "op", "lookup", "key")
_MARK = {b"vestigo": b"prepared trace, 1"}
_PLAIN = {"size": np.int64, "cost": np.int64, "found": np.int8}
_BOUNDS = {"size": LARGEST, "cost": LONGEST, "found": 1}
_IDS = ("lookup", "key", "node", "version", "scope")


def is_prepared(path: Path) -> bool:
    """Raises what Arrow raises for files that are none of its own."""
    with pa.memory_map(str(path)) as file:
        return _MARK.items() <= (pa.ipc.open_file(file).schema.metadata or {}).items()


def prepared_table(trace: Trace) -> pa.Table:
    """One batch. Columns that say nothing are left out."""
    ops = pa.array(trace.op)
    columns: dict[str, Any] = {
        "at": pa.array(trace.at).cast(pa.timestamp("ns", "UTC")),
        "op": pa.DictionaryArray.from_arrays(ops, pa.array(OPS)),
        "lookup": _named(trace.lookup, pa.array(trace.lookups, pa.string())),
        "key": _named(trace.key, arrow_names(trace.keys)),
        "node": _named(trace.node, pa.array(trace.nodes, pa.string())),
        "version": _named(trace.version, arrow_names(trace.versions)),
        "scope": _named(trace.scope, arrow_names(trace.scopes)),
        **{name: _nullable(getattr(trace, name)) for name in _PLAIN},
        "force": pa.array(trace.force.astype(np.int8)),
    }
    said = {name: column for name, column in columns.items() if name in _ALWAYS or _says_anything(trace, name)}
    return pa.table(said).replace_schema_metadata(_MARK)


def write_prepared(trace: Trace, path: Path) -> None:
    table = prepared_table(trace)
    with pa.ipc.new_file(path, table.schema) as file:
        for batch in table.to_batches():
            file.write_batch(batch)


def open_prepared(path: Path) -> Trace:
    """The trace, its columns mapped. Raises TraceError if anything in it cannot be."""
    table = pa.ipc.open_file(mapped(path)).read_all()
    try:
        if any(table[name].num_chunks > 1 for name in table.column_names):
            raise TraceError(f"{path}: is in several batches; prepare it again from its source")
        return _trace(table, path)
    except (KeyError, IndexError, ValueError, TypeError, MemoryError, pa.ArrowException) as error:
        raise TraceError(f"{path}: is damaged ({_first_line(error)}); prepare it again from its source") from None


def _trace(table: pa.Table, path: Path) -> Trace:
    table.validate()
    _check(set(_ALWAYS) <= set(table.column_names), f"a column of {', '.join(_ALWAYS)} is missing")
    rows = len(table)
    texts = {name: _dictionary(table, name) for name in _IDS}
    for values in (_dictionary(table, "op"), *texts.values()):
        values.validate(full=True)  # Arrow trusts offsets in its own files: a trace is not to be trusted
    at = _values(table, "at", np.int64)
    op = _values(table, "op", np.uint8, Op.READ)
    ids = {name: _values(table, name, np.int32) for name in texts}
    plain: dict[str, Any] = {name: _values(table, name, dtype) for name, dtype in _PLAIN.items()}
    force = _values(table, "force", np.int8, 0)
    _check(rows == 0 or (at[0] >= EARLIEST and at[-1] <= LATEST), "times out of range")
    _check(_every(np.less_equal, at[:-1], at[1:]), "times out of order")
    _check(_dictionary(table, "op").to_pylist() == OPS and int(op.max(initial=0)) <= Op.RESTART, "unknown ops")
    for name, values in ids.items():
        _check(_within(values, len(texts[name]) - 1), f"column {name!r} points nowhere")
    for name, values in plain.items():
        _check(_within(values, _BOUNDS[name]), f"column {name!r} is out of range")
    key, lookup = ids["key"], ids["lookup"]
    _check(_every(lambda op, key: (op <= LAST_KEYED) == (key >= 0), op, key), "keys are missing")
    _check(len(texts["lookup"]) <= MOST_LOOKUPS, "too many look-ups")
    of_key = np.full(len(texts["key"]) + 1, MISSING, np.int32)  # the last: of no key
    for part in _pieces(rows):
        of_key[key[part]] = lookup[part]
    _check(_within(of_key[:-1], len(texts["lookup"]) - 1, 0), "a key without a read")
    _check(_every(lambda key, lookup: (of_key.take(key) == lookup) | (key < 0), key, lookup), "a key of two look-ups")
    return Trace(
        at=at,
        op=op,
        lookup=lookup,
        key=key,
        node=ids["node"],
        version=ids["version"],
        scope=ids["scope"],
        **plain,
        force=force.view(np.bool_) if _within(force, 1, 0) else force != 0,
        lookups=tuple(texts["lookup"].to_pylist()),
        keys=Names(texts["key"]),
        key_lookup=of_key[:-1],
        nodes=tuple(texts["node"].to_pylist()),
        versions=Names(texts["version"]),
        scopes=Names(texts["scope"]),
        source=str(path),
    )


def _says_anything(trace: Trace, name: str) -> bool:
    values = getattr(trace, name)
    return bool(np.any(values != (0 if name == "force" else MISSING)))


def _named(ids: np.ndarray, names: pa.Array) -> pa.DictionaryArray:
    """Ids with what stands behind them; themselves, where they are but told apart."""
    if len(names) == 0:
        names = pa.array(range(int(ids.max(initial=-1)) + 1), pa.int32())
    return pa.DictionaryArray.from_arrays(_nullable(ids), names, safe=False)


def _nullable(values: np.ndarray) -> pa.Array:
    """The values as they are, with nothing said where MISSING stands."""
    there = values != MISSING
    validity = None if there.all() else pa.array(there).buffers()[1]
    data = pa.py_buffer(np.ascontiguousarray(values))
    return pa.Array.from_buffers(pa.from_numpy_dtype(values.dtype), len(values), [validity, data])


def _dictionary(table: pa.Table, name: str) -> pa.Array:
    if name not in table.column_names or table[name].num_chunks == 0:
        kind = table.schema.field(name).type.value_type if name in table.column_names else pa.string()
        return pa.array(OPS if name == "op" else [], kind)
    return table[name].chunk(0).dictionary


def _values(table: pa.Table, name: str, dtype: Any, missing: int = MISSING) -> np.ndarray:
    """A column's values, mapped; under those that are missing stands MISSING."""
    if name not in table.column_names or table[name].num_chunks == 0:
        return alike(missing, len(table), dtype)
    column = table[name].chunk(0)
    kind = column.type.index_type if pa.types.is_dictionary(column.type) else column.type
    expected = pa.timestamp("ns", "UTC") if name == "at" else pa.from_numpy_dtype(dtype)
    _check(kind == expected, f"column {name!r} is of {column.type}")
    data = column.buffers()[1]
    return np.frombuffer(data, dtype, len(column), column.offset * np.dtype(dtype).itemsize)


def _pieces(rows: int) -> list[slice]:
    return [slice(begin, begin + _PIECE) for begin in range(0, rows, _PIECE)]


def _every(test: Callable[..., np.ndarray], *columns: np.ndarray) -> bool:
    """Whether all rows pass, asked piece by piece: little memory, however many there are."""
    return all(bool(test(*(column[part] for column in columns)).all()) for part in _pieces(len(columns[0])))


def _within(values: np.ndarray, most: int, least: int = MISSING) -> bool:
    return len(values) == 0 or (int(values.min()) >= least and int(values.max()) <= most)


def _check(right: bool, problem: str) -> None:
    if not right:
        raise ValueError(problem)


def _first_line(error: Exception) -> str:
    return next(iter(str(error).splitlines()), type(error).__name__)
