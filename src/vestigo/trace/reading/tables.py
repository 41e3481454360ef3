"""Turns tables in memory into the rows that readers of files return."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.raw import Raw, row_place

if TYPE_CHECKING:
    pass

Table = "pa.Table | pd.DataFrame | Mapping[str, Any] | Sequence[Mapping[str, Any]]"
"""An Arrow table, a DataFrame, a mapping of columns, or a list of records."""


def rows_of(table: Any) -> Raw:
    """The rows of a `Table`. Raises TraceError for what is not a table, or what Arrow cannot hold.

    >>> rows_of([{"at": 1, "key": "a"}, {"at": 2, "key": "b", "size": 9}]).table["size"].to_pylist()
    [None, 9]
    """
    try:
        found = _arrow(table)
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError) as error:
        raise TraceError(f"table: a column cannot be read: {str(error).splitlines()[0]}") from None
    return Raw(found, row_place, tuple(found.column_names))


def _arrow(table: Any) -> pa.Table:
    if isinstance(table, pa.Table):
        return table
    if isinstance(table, Mapping):
        arrow = (pa.Array, pa.ChunkedArray)
        return pa.table(
            {name: column if isinstance(column, arrow) else pa.array(column) for name, column in table.items()}
        )
    if isinstance(table, Sequence) and all(isinstance(row, Mapping) for row in table):
        names = dict.fromkeys(name for row in table for name in row)
        return pa.table({name: pa.array([row.get(name) for row in table]) for name in names})
    if hasattr(table, "__dataframe__") or hasattr(table, "iloc"):
        return pa.Table.from_pandas(table, preserve_index=False)
    raise TraceError(
        f"{type(table).__name__} is not a trace; give a path, an Arrow table, a DataFrame, a mapping of columns, or a "
        "list of records"
    )
