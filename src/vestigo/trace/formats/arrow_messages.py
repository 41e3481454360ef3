"""How many bytes an Arrow file's packed buffers unfold to, told by its messages before one is unpacked.

The Arrow columnar format, "IPC" and "Message.fbs". A buffer that holds more than it says is refused when it is
unpacked.
"""

import struct
from typing import NamedTuple

import pyarrow as pa

_DICTIONARY, _BATCH = 2, 3  # kinds of message


def unfolded(content: pa.Buffer, batches: int) -> int:
    """Of all messages up to the last of so many batches; `content` begins with the first. Raises ArrowInvalid if there
    is no sense in them.
    """
    reader, total = pa.ipc.MessageReader.open_stream(content), 0
    while batches > 0:
        try:
            message = reader.read_next_message()
            kind, sizes = _buffers(memoryview(message.metadata), memoryview(message.body or b""))
        except StopIteration:
            raise pa.ArrowInvalid("it has fewer batches than it says") from None
        except struct.error:
            raise pa.ArrowInvalid("a message's parts lie outside of it") from None
        total += sum(sizes)
        batches -= kind == _BATCH
    return total


class _Table(NamedTuple):
    """A table of a flat buffer: fields by number, each where the table's list of places says."""

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


def _buffers(metadata: memoryview, body: memoryview) -> tuple[int, list[int]]:
    """A message's kind, and what each of its buffers unfolds to; none, if they are not packed."""
    message = _Table(metadata, 0).at(0)
    kind_place, header = message.field(1), message.field(2)
    kind = message.number("<B", kind_place) if kind_place is not None else 0
    if header is None or kind not in (_DICTIONARY, _BATCH):
        return kind, []
    batch = message.at(header)
    if kind == _DICTIONARY:
        data = batch.field(1)
        if data is None:
            return kind, []
        batch = batch.at(data)
    buffers = batch.field(2)
    if buffers is None or batch.field(3) is None:
        return kind, []
    listed = batch.at(buffers)
    sizes = []
    for number in range(listed.number("<I", listed.place)):
        offset, length = struct.unpack_from("<qq", metadata, listed.place + 4 + 16 * number)
        if length > 0:
            sizes.append(max(_Table(body, 0).number("<q", offset), 0))  # -1: it was left as it is
    return kind, sizes
