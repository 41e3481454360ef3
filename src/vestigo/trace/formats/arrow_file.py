"""Arrow IPC files: mapped into memory, not copied."""

import struct
from pathlib import Path
from typing import NamedTuple

import pyarrow as pa

from vestigo.trace.formats.format import Format
from vestigo.trace.formats.mapped import mapped
from vestigo.trace.formats.packed import LIMITS, Limits, check_rows, check_unfolded
from vestigo.trace.formats.raw import Raw, Wanted, check_named_once, row_place

_HEAD_BYTES = 8
_DICTIONARY, _BATCH = 2, 3  # kinds of message


def messages_in(content: pa.Buffer) -> pa.Buffer:
    """The messages of a file, as a stream of them would be."""
    return content.slice(_HEAD_BYTES)


def check_amounts(path: Path, content: pa.Buffer, batches: int, limits: Limits = LIMITS) -> None:
    """Raises TraceError for a file that takes more memory than it may, and ArrowInvalid if it makes no sense."""
    amounts = unfolded(messages_in(content), batches)
    check_unfolded(path, amounts.size_bytes, limits)
    check_rows(path, amounts.rows, limits)


class Unfolded(NamedTuple):
    rows: int
    size_bytes: int


def unfolded(content: pa.Buffer, batches: int) -> Unfolded:
    """The amounts of all messages up to the last of `batches` batches. `content` begins with the first message. Raises
    ArrowInvalid if they make no sense.
    """
    reader, rows, size_bytes = pa.ipc.MessageReader.open_stream(content), 0, 0
    while batches > 0:
        try:
            message = reader.read_next_message()
            kind, length, sizes = _buffers(memoryview(message.metadata), memoryview(message.body or b""))
        except StopIteration:
            raise pa.ArrowInvalid("it has fewer batches than it says") from None
        except struct.error:
            raise pa.ArrowInvalid("the parts of a message lie outside it") from None
        size_bytes += sum(sizes)
        rows += length
        batches -= kind == _BATCH
    return Unfolded(rows, size_bytes)


class _Table(NamedTuple):
    """A table of a flat buffer. Its list of places says where each field stands."""

    data: memoryview
    place: int

    def field(self, number: int) -> int | None:
        places = self.place - self.number("<i", self.place)
        if 4 + 2 * number >= self.number("<H", places):
            return None
        offset = self.number("<H", places + 4 + 2 * number)
        return self.place + offset if offset else None

    def number(self, layout: str, place: int) -> int:
        if place < 0:
            raise struct.error
        return int(struct.unpack_from(layout, self.data, place)[0])

    def at(self, place: int) -> "_Table":
        return _Table(self.data, place + self.number("<I", place))


def _buffers(metadata: memoryview, body: memoryview) -> tuple[int, int, list[int]]:
    """The kind of a message, its rows, and the bytes that each of its buffers unpacks to. There are none if the buffers
    are not compressed.
    """
    message = _Table(metadata, 0).at(0)
    kind_place, header = message.field(1), message.field(2)
    kind = message.number("<B", kind_place) if kind_place is not None else 0
    if header is None or kind not in (_DICTIONARY, _BATCH):
        return kind, 0, []
    batch = message.at(header)
    if kind == _DICTIONARY:
        data = batch.field(1)
        if data is None:
            return kind, 0, []
        batch = batch.at(data)
    length_place, buffers = batch.field(0), batch.field(2)
    length = batch.number("<q", length_place) if length_place is not None else 0
    if buffers is None or batch.field(3) is None:
        return kind, length, []
    listed = batch.at(buffers)
    sizes = []
    for number in range(listed.number("<I", listed.place)):
        offset, packed = struct.unpack_from("<qq", metadata, listed.place + 4 + 16 * number)
        if packed > 0:
            sizes.append(max(_Table(body, 0).number("<q", offset), 0))  # -1: it is not compressed
    return kind, length, sizes


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
