"""How many bytes the compressed buffers of an Arrow file unpack to. Its messages tell this before anything is unpacked.

The source is the Arrow columnar format, "IPC" and "Message.fbs". A buffer that holds more than it says is refused when
it is unpacked.
"""

import struct
from typing import NamedTuple

import pyarrow as pa

_DICTIONARY, _BATCH = 2, 3  # kinds of message


def unfolded(content: pa.Buffer, batches: int) -> int:
    """The bytes of all messages up to the last of `batches` batches. `content` begins with the first message. Raises
    ArrowInvalid if they make no sense.
    """
    reader, total = pa.ipc.MessageReader.open_stream(content), 0
    while batches > 0:
        try:
            message = reader.read_next_message()
            kind, sizes = _buffers(memoryview(message.metadata), memoryview(message.body or b""))
        except StopIteration:
            raise pa.ArrowInvalid("it has fewer batches than it says") from None
        except struct.error:
            raise pa.ArrowInvalid("the parts of a message lie outside it") from None
        total += sum(sizes)
        batches -= kind == _BATCH
    return total


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


def _buffers(metadata: memoryview, body: memoryview) -> tuple[int, list[int]]:
    """The kind of a message, and the bytes that each of its buffers unpacks to. There are none if the buffers are not
    compressed.
    """
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
            sizes.append(max(_Table(body, 0).number("<q", offset), 0))  # -1: it is not compressed
    return kind, sizes
