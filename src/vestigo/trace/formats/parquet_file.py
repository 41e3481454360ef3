"""Parquet files."""

from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from vestigo.errors import TraceError
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.formats.packed import check_rows, check_unfolded
from vestigo.trace.formats.parquet_pages import unfolded
from vestigo.trace.formats.raw import Raw, Wanted, repeated, row_place


def read_parquet(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns."""
    with pq.ParquetFile(path) as file:
        has = file.schema_arrow.names
        if twice := repeated(wanted, has):
            raise TraceError([f"{path}: column {name!r} appears twice; rename one" for name in twice])
        check_unfolded(path, unfolded(mapped(path), wanted.columns), wanted.limits)
        check_rows(path, file.metadata.num_rows, wanted.limits)
        known = [name for name in has if name in wanted.columns]
        encoded = [name for name in known if _is_text(file.schema_arrow.field(name).type)]
    with pq.ParquetFile(path, read_dictionary=encoded) as file:
        table = file.read(columns=known) if known else file.schema_arrow.empty_table().select([])
    table.validate(full=True)  # texts may be no UTF-8
    return Raw(table, row_place, tuple(has))


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


FORMAT = Format(("parquet",), read_parquet, is_text=False)
