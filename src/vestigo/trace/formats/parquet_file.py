"""Parquet files."""

from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from vestigo.errors import TraceError
from vestigo.trace.formats.packed import check_unfolded
from vestigo.trace.formats.raw import Raw, Wanted, repeated, row_place
from vestigo.trace.formats.unfolding import of_pages


def read_parquet(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns."""
    with pq.ParquetFile(path) as file:
        has = file.schema_arrow.names
        if twice := repeated(wanted, has):
            raise TraceError([f"{path}: column {name!r} stands there twice; rename one" for name in twice])
        check_unfolded(path, _unfolded(path, file.metadata, wanted), wanted.limits)
        known = [name for name in has if name in wanted.columns]
        encoded = [name for name in known if _is_text(file.schema_arrow.field(name).type)]
    with pq.ParquetFile(path, read_dictionary=encoded) as file:
        table = file.read(columns=known) if known else file.schema_arrow.empty_table().select([])
    table.validate(full=True)  # texts may be no UTF-8
    return Raw(table, row_place, tuple(has))


def _unfolded(path: Path, metadata: pq.FileMetaData, wanted: Wanted) -> int:
    """How many bytes the wanted columns take once they are unpacked: what their pages say, or 4 a value."""
    with pa.memory_map(str(path)) as file:
        content = file.read_buffer()
    groups = [metadata.row_group(number) for number in range(metadata.num_row_groups)]
    columns = [group.column(place) for group in groups for place in range(group.num_columns)]
    wanted_ones = [one for one in columns if one.path_in_schema.split(".")[0] in wanted.columns]
    return sum(max(of_pages(content, one), 4 * one.num_values) for one in wanted_ones)


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))
