"""Arrow IPC files: mapped into memory, not copied."""

from pathlib import Path

import pyarrow as pa

from vestigo.trace.formats.arrow_messages import check_amounts, messages_in
from vestigo.trace.formats.format import Format
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.formats.raw import Raw, Wanted, check_named_once, row_place


def read_arrow(path: Path, wanted: Wanted) -> Raw:
    """The wanted columns."""
    content = mapped(path)
    count = pa.ipc.open_file(content).num_record_batches
    batches = pa.ipc.open_stream(messages_in(content))
    has = batches.schema.names
    check_named_once(path, wanted, has)
    check_amounts(path, content, count, wanted.limits)
    table = pa.Table.from_batches([batches.read_next_batch() for _ in range(count)], batches.schema)
    table = table.select([name for name in has if name in wanted.columns])
    table.validate(full=True)  # Arrow trusts offsets and ids in its own files, but a trace cannot be trusted
    return Raw(table, row_place, tuple(has))


FORMAT = Format(("arrow",), read_arrow, is_text=False)
