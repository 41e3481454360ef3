"""Turns tables in memory into the rows that readers of files return."""

import dataclasses
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Protocol

import pyarrow as pa
import pyarrow.compute as pc

from vestigo.arguments import shown
from vestigo.errors import TraceError
from vestigo.trace.formats.raw import Raw, row_place
from vestigo.trace.reading.column_kinds import is_text

_WRITE = (
    "give a path, a DataFrame, a table of Arrow, anything that offers Arrow's stream, a mapping of columns, or a list "
    "of records"
)


class ArrowStream(Protocol):
    """A table that offers Arrow's C stream, as those of pandas, polars, DuckDB and Arrow itself do."""

    def __arrow_c_stream__(self, requested_schema: object = None) -> object: ...


Table = ArrowStream | Mapping[str, Iterable[object]] | Sequence[object]
"""A DataFrame, an Arrow table, a mapping of columns, or a list of records: mappings, dataclasses, named tuples."""


def rows_of(table: object) -> Raw:
    """The rows of a `Table`. An empty text is missing, as in CSV. Raises TraceError for what is not a table, and for
    columns that Arrow cannot hold.

    >>> rows_of([{"at": 1, "key": "a"}, {"at": 2, "key": "b", "size": 9}]).table["size"].to_pylist()
    [None, 9]
    """
    notes: list[str] = []
    try:
        columns = _columns(table, notes)
    except (pa.ArrowException, TypeError, ValueError) as error:
        raise TraceError(f"table: {shown(type(table).__name__)} cannot be read: {_first_line(error)}") from None
    if twice := [name for name in dict.fromkeys(name for name, _ in columns) if _named(columns, name) > 1]:
        raise TraceError([f"table: column {name!r} appears twice; rename one" for name in twice])
    lengths = {len(column) for _, column in columns}
    if len(lengths) > 1:
        each = ", ".join(f"{name} {len(column):,}" for name, column in columns)
        raise TraceError(f"table: the columns have different lengths: {each}")
    found = pa.table({name: _plain(column) for name, column in columns})
    return Raw(found, row_place, tuple(found.column_names), notes=tuple(notes))


Columns = list[tuple[str, pa.Array]]


def _columns(table: Any, notes: list[str]) -> Columns:
    if hasattr(table, "iloc"):
        return _of_pandas(table, notes)
    if isinstance(table, Mapping):
        return [(str(name), _column(str(name), column)) for name, column in table.items()]
    if hasattr(table, "__arrow_c_stream__"):
        return _of_arrow(pa.RecordBatchReader.from_stream(table).read_all())
    if hasattr(table, "__arrow_c_array__"):
        return _of_arrow(pa.Table.from_batches([pa.record_batch(table)]))
    if isinstance(table, Iterable) and not isinstance(table, (str, bytes)):
        rows = list(table)
        if all(map(_is_record, rows)):
            return _of_records(rows)
    raise TraceError(f"{shown(table)} is not a trace; {_WRITE}")


def _of_arrow(table: pa.Table) -> Columns:
    return [(name, _checked(name, table.column(place))) for place, name in enumerate(table.column_names)]


def _of_pandas(frame: Any, notes: list[str]) -> Columns:
    """The columns, and the levels of the index that have a name. An index of times is taken as `at`."""
    if not hasattr(frame, "columns"):
        raise TraceError("a Series is one column; give a DataFrame, with a column for the time and one for the key")
    levels = index_levels(frame)
    notes += [f"the index of the table is taken as column {name!r}" for name in levels if name not in frame.index.names]
    taken = [(name, _column(name, level)) for name, level in levels.items()]
    own = [(str(name), _column(str(name), frame.iloc[:, place])) for place, name in enumerate(frame.columns)]
    return [*taken, *own]


def index_levels(frame: Any) -> dict[str, object]:
    """The levels of the index of a DataFrame that stand for columns: those with a name, and times as `at`."""
    levels: dict[str, object] = {}
    for number, name in enumerate(frame.index.names):
        level = frame.index.get_level_values(number)
        named = name if name is not None else "at" if level.dtype.kind == "M" else None
        if named is not None and named not in frame.columns:
            levels[str(named)] = level
    return levels


def _is_record(row: Any) -> bool:
    is_dataclass = dataclasses.is_dataclass(row) and not isinstance(row, type)
    return isinstance(row, Mapping) or is_dataclass or hasattr(row, "_asdict")


def _of_records(rows: Sequence[object]) -> Columns:
    found = [_as_mapping(row) for row in rows]
    names = dict.fromkeys(name for row in found for name in row)
    return [(str(name), _column(str(name), [row.get(name) for row in found])) for name in names]


def _as_mapping(row: Any) -> Mapping[str, object]:
    if dataclasses.is_dataclass(row):
        return {one.name: getattr(row, one.name) for one in dataclasses.fields(row)}
    mapping: Mapping[str, object] = row if isinstance(row, Mapping) else row._asdict()
    return mapping


def _column(name: str, values: object) -> pa.Array:
    """One column as Arrow has it. Raises TraceError, which names it."""
    if isinstance(values, (pa.Array, pa.ChunkedArray)):
        return _checked(name, values)
    if isinstance(values, (str, bytes)) or not isinstance(values, Iterable):
        raise TraceError(f"table: column {name!r} is {shown(values)}; give a list of values, one for each row")
    try:
        kind = getattr(getattr(values, "dtype", None), "name", "")
        array = pa.array(values if hasattr(values, "dtype") else list(values), from_pandas=True)
    except (pa.ArrowException, TypeError, ValueError, OverflowError) as error:
        raise TraceError(f"table: column {name!r} {_what_is_wrong(values, error)}") from None
    if kind.startswith("period"):
        raise TraceError(f"table: column {name!r} holds periods; make times of them: .dt.to_timestamp()")
    return _checked(name, array)


def _checked(name: str, column: pa.Array) -> pa.Array:
    """The column, unless it has a type of somebody's own, of which we do not know what it means."""
    if isinstance(column.type, pa.BaseExtensionType):
        raise TraceError(
            f"table: column {name!r} holds values of the type {column.type}; make text, numbers or times of them"
        )
    return column


def _what_is_wrong(values: Iterable[object], error: Exception) -> str:
    """The first value that does not fit beside those before it."""
    items = list(values)
    kinds = dict.fromkeys(type(one).__name__ for one in items if one is not None and one == one)  # noqa: PLR0124  # NaN
    odd = [kind for kind in kinds if kind not in ("str", "int", "float", "bool")]
    if len(kinds) > 1 and not odd:
        return f"mixes {' and '.join(kinds)}; make one of them, as in .astype(str)"
    what = odd[0] if odd else type(error).__name__
    row = next((number for number, one in enumerate(items) if type(one).__name__ == what), 0)
    return f"holds a {what} ({row_place(row)}); make text of it, as in .astype(str), or a number or time"


def _plain(column: pa.Array) -> pa.Array:
    """The column with text as the readers know it, and nothing where a text is empty."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return _without_empty_words(column) if is_text(kind.value_type) else column.cast(kind.value_type)
    if is_text(kind):
        column = column.cast(pa.large_string())
        return pc.if_else(pc.equal(column, ""), pa.scalar(None, pa.large_string()), column)
    return column


def _without_empty_words(column: pa.Array) -> pa.Array:
    chunks = column.chunks if isinstance(column, pa.ChunkedArray) else [column]
    cleaned = [
        pa.DictionaryArray.from_arrays(one.indices.cast(pa.int32()), _plain(one.dictionary.cast(pa.large_string())))
        for one in chunks
    ]
    return pa.chunked_array(cleaned, pa.dictionary(pa.int32(), pa.large_string()))


def _named(columns: Columns, name: str) -> int:
    return sum(one == name for one, _ in columns)


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0] if str(error) else type(error).__name__
