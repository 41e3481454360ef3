"""The prepared form of a trace: an Arrow IPC file with exactly the columns that a Trace holds.

It is written once, and opened without copying. Ids are numbered as in the trace, their texts are dictionaries, and
everything is one batch. object reader of Arrow files can read it. Missing values are marked as in any Arrow file, and
MISSING stands in their places, because the values are mapped as they are.
"""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.columns import EARLIEST, LATEST, MISSING, MOST_LOOKUPS, Column
from vestigo.trace.formats.arrow_file import check_amounts
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.names import Names, arrow_names
from vestigo.trace.trace import COLUMNS, LAST_KEYED, OPS, Op, Parts, Trace, constant_column

_PIECE = 1 << 18
_MARK = {b"vestigo": b"prepared trace, 1"}
_NEEDED = [one.name for one in COLUMNS.values() if one.is_needed]
_IDS = [one for one in COLUMNS.values() if one.texts]
_AMOUNTS = [one for one in COLUMNS.values() if one.most]
_YES_OR_NO = [one for one in COLUMNS.values() if one.dtype == np.bool_]


def is_prepared(path: Path) -> bool:
    """Whether a file is in the prepared form. Raises Arrow's own errors for files that are not Arrow files."""
    with pa.memory_map(str(path)) as file:
        return _MARK.items() <= (pa.ipc.open_file(file).schema.metadata or {}).items()


def prepared_table(trace: Trace) -> pa.Table:
    """The trace as a table of one batch. Columns without values are left out."""
    columns = {one.name: _column(trace, one) for one in COLUMNS.values() if one.is_needed or _says_anything(trace, one)}
    return pa.table(columns).replace_schema_metadata(_MARK)


def _column(trace: Trace, column: Column) -> pa.Array:
    values = getattr(trace, column.name)
    if column.holds == "time":
        return pa.array(values).cast(pa.timestamp("ns", "UTC"))
    if column.holds == "op":
        return pa.DictionaryArray.from_arrays(pa.array(values), pa.array(OPS))
    if column.dtype == np.bool_:
        return pa.array(values.astype(np.int8))
    return _named(values, arrow_names(getattr(trace, column.texts))) if column.texts else _nullable(values)


def write_prepared(trace: Trace, path: Path) -> None:
    table = prepared_table(trace)
    with pa.ipc.new_file(path, table.schema) as file:
        for batch in table.to_batches():
            file.write_batch(batch)


def open_prepared(path: Path) -> Trace:
    """Opens a trace whose columns are mapped. Raises TraceError if something in it is impossible."""
    content = mapped(path)
    file = pa.ipc.open_file(content)
    check_amounts(path, content, file.num_record_batches)
    table = file.read_all()
    try:
        if any(table[name].num_chunks > 1 for name in table.column_names):
            raise TraceError(f"{path}: is in several batches; prepare it again from its source")
        return _trace(table, path)
    except MemoryError:
        raise
    except (KeyError, IndexError, ValueError, TypeError, pa.ArrowException) as error:
        raise TraceError(f"{path}: is damaged ({_first_line(error)}); prepare it again from its source") from None


def _trace(table: pa.Table, path: Path) -> Trace:
    table.validate()
    _check(set(_NEEDED) <= set(table.column_names), f"a column of {', '.join(_NEEDED)} is missing")
    rows = len(table)
    texts = {column.name: _dictionary(table, column.name) for column in _IDS}
    for values in (_dictionary(table, "op"), *texts.values()):
        values.validate(full=True)  # Arrow trusts offsets in its own files, but a trace cannot be trusted
    columns: Parts = {
        column.name: _values(table, column, column.dtype) for column in COLUMNS.values() if column not in _YES_OR_NO
    }
    flags = {column.name: _values(table, column, np.int8) for column in _YES_OR_NO}
    at, op, key, lookup = (columns[name] for name in ("at", "op", "key", "lookup"))
    _check(rows == 0 or (at[0] >= EARLIEST and at[-1] <= LATEST), "times out of range")
    _check(_every(np.less_equal, at[:-1], at[1:]), "times out of order")
    _check(_dictionary(table, "op").to_pylist() == OPS and int(op.max(initial=0)) <= Op.RESTART, "unknown ops")
    for column in _IDS:
        _check(_within(columns[column.name], len(texts[column.name]) - 1), f"column {column.name!r} points nowhere")
    for column in _AMOUNTS:
        _check(_within(columns[column.name], column.most), f"column {column.name!r} is out of range")
    _check(_every(lambda op, key: (op <= LAST_KEYED) == (key >= 0), op, key), "keys are missing")
    _check(len(texts["lookup"]) <= MOST_LOOKUPS, "too many look-ups")
    of_key = np.full(len(texts["key"]) + 1, MISSING, np.int32)  # the last one is for rows without a key
    for part in _pieces(rows):
        of_key[key[part]] = lookup[part]
    _check(_within(of_key[:-1], len(texts["lookup"]) - 1, 0), "a key without a read")
    _check(_every(lambda key, lookup: (of_key.take(key) == lookup) | (key < 0), key, lookup), "a key of two look-ups")
    names: Parts = {column.texts: Names(texts[column.name]) for column in _IDS}
    names |= {column: tuple(names[column].values.to_pylist()) for column in ("lookups", "nodes")}
    yes_or_no: Parts = {name: _yes_or_no(values) for name, values in flags.items()}
    return Trace(**columns, **yes_or_no, **names, key_lookup=of_key[:-1], source=str(path))


def _yes_or_no(values: np.ndarray) -> np.ndarray:
    return values.view(np.bool_) if _within(values, 1, 0) else values != 0


def _says_anything(trace: Trace, one: Column) -> bool:
    return bool(np.any(getattr(trace, one.name) != one.missing))


def _named(ids: np.ndarray, names: pa.Array) -> pa.DictionaryArray:
    """Ids with their texts, or the ids themselves if there are no texts."""
    if len(names) == 0:
        names = pa.array(range(int(ids.max(initial=-1)) + 1), pa.int32())
    return pa.DictionaryArray.from_arrays(_nullable(ids), names, safe=False)


def _nullable(values: np.ndarray) -> pa.Array:
    """The values as they are, marked as missing where MISSING stands."""
    there = values != MISSING
    validity = None if there.all() else pa.array(there).buffers()[1]
    data = pa.py_buffer(np.ascontiguousarray(values))
    return pa.Array.from_buffers(pa.from_numpy_dtype(values.dtype), len(values), [validity, data])


def _dictionary(table: pa.Table, name: str) -> pa.Array:
    if name not in table.column_names or table[name].num_chunks == 0:
        kind = table.schema.field(name).type.value_type if name in table.column_names else pa.string()
        return pa.array(OPS if name == "op" else [], kind)
    return table[name].chunk(0).dictionary


def _values(table: pa.Table, known: Column, dtype: npt.DTypeLike) -> np.ndarray:
    """The mapped values of a column. MISSING must stand in the places of missing ones."""
    name = known.name
    if name not in table.column_names or table[name].num_chunks == 0:
        return constant_column(known.missing, len(table), dtype)
    column = table[name].chunk(0)
    kind = column.type.index_type if pa.types.is_dictionary(column.type) else column.type
    expected = pa.timestamp("ns", "UTC") if name == "at" else pa.from_numpy_dtype(dtype)
    _check(kind == expected, f"column {name!r} is of {column.type}")
    data = column.buffers()[1]
    return np.frombuffer(data, dtype, len(column), column.offset * np.dtype(dtype).itemsize)


def _pieces(rows: int) -> list[slice]:
    return [slice(begin, begin + _PIECE) for begin in range(0, rows, _PIECE)]


def _every(test: Callable[..., np.ndarray], *columns: np.ndarray) -> bool:
    """Whether all rows pass. Rows are checked piece by piece, to use little memory."""
    return all(bool(test(*(column[part] for column in columns)).all()) for part in _pieces(len(columns[0])))


def _within(values: np.ndarray, most: int, least: int = MISSING) -> bool:
    return len(values) == 0 or (int(values.min()) >= least and int(values.max()) <= most)


def _check(right: bool, problem: str) -> None:
    if not right:
        raise ValueError(problem)


def _first_line(error: Exception) -> str:
    return next(iter(str(error).splitlines()), type(error).__name__)
