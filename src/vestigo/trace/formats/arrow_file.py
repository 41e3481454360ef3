"""Arrow IPC files: mapped into memory, not copied."""

from collections.abc import Iterator
from pathlib import Path

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.packed import check_unfolded
from vestigo.trace.formats.raw import Raw, Wanted, repeated, row_place


def read_arrow(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns."""
    with pa.memory_map(str(path)) as file:
        batches = pa.ipc.open_file(file)
        has = batches.schema.names
        if twice := repeated(wanted, has):
            raise TraceError([f"{path}: column {name!r} stands there twice; rename one" for name in twice])
        table = pa.Table.from_batches(_batches(path, batches, wanted), batches.schema)
    table = table.select([name for name in has if name in wanted.columns])
    table.validate(full=True)  # Arrow trusts offsets and ids in its own files: a trace is not to be trusted
    return Raw(table, row_place, tuple(has))


def _batches(path: Path, batches: pa.RecordBatchFileReader, wanted: Wanted) -> Iterator[pa.RecordBatch]:
    """One after the other, for they may be packed."""
    unfolded = 0
    for number in range(batches.num_record_batches):
        batch = batches.get_batch(number)
        unfolded += batch.nbytes
        check_unfolded(path, unfolded, wanted.limits)
        yield batch
