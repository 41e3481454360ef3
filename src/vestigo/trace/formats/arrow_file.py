"""Arrow IPC files: mapped into memory, not copied."""

from pathlib import Path

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.raw import Raw, Wanted, repeated, row_place


def read_arrow(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns."""
    with pa.memory_map(str(path)) as file:
        table = pa.ipc.open_file(file).read_all()
    has = table.column_names
    if twice := repeated(wanted, has):
        raise TraceError([f"{path}: column {name!r} stands there twice; rename one" for name in twice])
    table = table.select([name for name in has if name in wanted.columns])
    table.validate(full=True)  # Arrow trusts offsets and ids in its own files: a trace is not to be trusted
    return Raw(table, row_place, tuple(has))
