"""Parquet files."""

from collections.abc import Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from vestigo.errors import TraceError
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.formats.packed import Limits, check_rows, check_unfolded
from vestigo.trace.formats.parquet_pages import DELTA_LENGTHS, DELTA_TEXTS, unfolded
from vestigo.trace.formats.raw import Raw, Wanted, check_named_once, row_place
from vestigo.units import format_bytes

_AT_ONCE_BYTES = 96 << 20
_MOST_AT_ONCE_BYTES = 256 << 20
_MOST_ROWS = 1 << 16


def read_parquet(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns. Raises TraceError for columns of kinds that no trace has, before they are read."""
    with pq.ParquetFile(path) as file:
        has = file.schema_arrow.names
        check_named_once(path, wanted, has)
        pages = unfolded(mapped(path), wanted.columns)
        check_unfolded(path, pages.size_bytes, wanted.limits)
        check_rows(path, file.metadata.num_rows, wanted.limits)
        known = [name for name in has if name in wanted.columns]
        _check_kinds(path, file.schema_arrow, known)
        texts = [name for name in known if _is_text(file.schema_arrow.field(name).type)]
    encoded = [name for name in texts if not pages.encodings.get(name, set()) & {DELTA_LENGTHS, DELTA_TEXTS}]
    with pq.ParquetFile(path, read_dictionary=encoded) as file:
        at_once = [name for name in known if DELTA_TEXTS not in pages.encodings.get(name, set())]
        table = file.read(columns=at_once) if at_once else file.schema_arrow.empty_table().select([])
        for name in (name for name in known if name not in at_once):
            column = _unfolding_column(path, file, name, pages.largest_page, wanted.limits)
            table = table.append_column(name, column) if table.num_columns else pa.table({name: column})
    table = table.select(known)
    table.validate(full=True)  # texts may be no UTF-8
    return Raw(table, row_place, tuple(has))


def _check_kinds(path: Path, schema: pa.Schema, names: Sequence[str]) -> None:
    """Raises TraceError for lists, structures and bytes: few bytes of a file can unfold to many of them."""
    problems = [
        f"{path}, column {name!r}: found a column of {schema.field(name).type}; it must be text, numbers or times"
        for name in names
        if pa.types.is_nested(schema.field(name).type) or _is_bytes(schema.field(name).type)
    ]
    if problems:
        raise TraceError(problems)


def _is_bytes(kind: pa.DataType) -> bool:
    return bool(pa.types.is_binary(kind) or pa.types.is_large_binary(kind) or pa.types.is_fixed_size_binary(kind))


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _unfolding_column(
    path: Path, file: pq.ParquetFile, name: str, largest_page: int, limits: Limits
) -> pa.ChunkedArray:
    """A column in which a text repeats the beginning of the one before (DELTA_BYTE_ARRAY). A page of a few bytes can
    hold texts of its whole length, so few are read at once, and each distinct one is kept once.
    """
    rows = min(max(_AT_ONCE_BYTES // max(largest_page, 1), 1), _MOST_ROWS)
    chunks, kept = [], 0
    for batch in file.iter_batches(rows, columns=[name]):
        if batch.nbytes > _MOST_AT_ONCE_BYTES:
            most = format_bytes(_MOST_AT_ONCE_BYTES // rows)
            raise TraceError(f"{path}, column {name!r}: has many texts of more than {most}; leave them out")
        chunks.append(batch.column(0).dictionary_encode())
        kept += chunks[-1].dictionary.nbytes
        check_unfolded(path, kept, limits)
    kind = chunks[0].type if chunks else pa.dictionary(pa.int32(), file.schema_arrow.field(name).type)
    return pa.chunked_array(chunks, kind).unify_dictionaries()


FORMAT = Format(("parquet",), read_parquet, is_text=False)
