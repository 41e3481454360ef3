"""Parquet files."""

from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from vestigo.trace.columns import COLUMNS


def read_parquet(path: Path) -> tuple[pa.Table, Callable[[int], str]]:
    """The columns of a trace, and how to say where a row stands."""
    with pq.ParquetFile(path) as file:
        known = [name for name in file.schema_arrow.names if name in COLUMNS]
        table = file.read(columns=known) if known else file.schema_arrow.empty_table()
    return table, lambda row: f"row {row + 1}"
