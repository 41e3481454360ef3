"""Reads a trace file, by its ending."""

import csv
from pathlib import Path

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.arrow_file import read_arrow
from vestigo.trace.build import build_trace
from vestigo.trace.csv_file import read_csv
from vestigo.trace.json_file import read_json_lines
from vestigo.trace.packed import PACKINGS
from vestigo.trace.parquet_file import read_parquet
from vestigo.trace.trace import Trace

_READERS = {
    f"{ending}{packing}": reader
    for ending, reader in {
        ".csv": read_csv,
        ".tsv": read_csv,
        ".jsonl": read_json_lines,
        ".ndjson": read_json_lines,
    }.items()
    for packing in PACKINGS
} | {".parquet": read_parquet, ".arrow": read_arrow}


def read_trace(path: str | Path) -> Trace:
    """The trace in a CSV, TSV or JSON Lines file (also ``.gz``, ``.bz2``, ``.zst``), or a Parquet or Arrow IPC file.

    Columns are those of docs/semantics.md, section 1; others are passed over. Rows out of order are sorted,
    and `Trace.moved` says how many. Raises TraceError, which names file, line or row, column, and what was
    expected.
    """
    path = Path(path)
    name = path.name.lower()
    reader = next((read for ending, read in _READERS.items() if name.endswith(ending)), None)
    if reader is None:
        raise TraceError(f"{path}: the ending tells no format; known are {', '.join(_READERS)}")
    try:
        path.open("rb").close()  # for the system's own words where that fails
        table, place = reader(path)
    except OSError as error:
        raise TraceError(f"{path}: cannot be read: {error.strerror or error}") from None
    except (pa.ArrowException, UnicodeDecodeError, csv.Error) as error:
        raise TraceError(f"{path}: cannot be read: {str(error).splitlines()[0]}") from None
    return build_trace(table, str(path), place)
