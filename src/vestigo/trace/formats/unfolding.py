"""How many bytes the packed columns of an Arrow or Parquet file say that they unfold to, told before one is unpacked.

Of both formats no more is read than that: the messages of an Arrow file (the Arrow columnar format, "IPC" and
"Message.fbs") and the page headers of a Parquet file (parquet.thrift, in Thrift's compact protocol). A page or a buffer
that holds more than it says is refused when it is unpacked.
"""

import struct
from collections.abc import Iterator
from typing import NamedTuple

import pyarrow as pa
import pyarrow.parquet as pq

_DICTIONARY, _BATCH = 2, 3  # kinds of message


def of_messages(content: pa.Buffer, batches: int) -> int:
    """Of all messages up to the last of so many batches; `content` begins with the first. Raises ArrowInvalid if there
    is no sense in them.
    """
    reader, unfolded = pa.ipc.MessageReader.open_stream(content), 0
    while batches > 0:
        message = reader.read_next_message()
        try:
            kind, sizes = _buffers(memoryview(message.metadata), memoryview(message.body or b""))
        except struct.error:
            raise pa.ArrowInvalid("a message's parts lie outside of it") from None
        unfolded += sum(sizes)
        batches -= kind == _BATCH
    return unfolded


def of_pages(content: pa.Buffer, chunk: pq.ColumnChunkMetaData) -> int:
    """Of the pages of one column in one group of rows. Raises ArrowInvalid if there is no sense in them."""
    place = chunk.dictionary_page_offset or chunk.data_page_offset
    end, unfolded = place + chunk.total_compressed_size, 0
    data = memoryview(content).cast("B")
    while 0 <= place < end:
        try:
            page = _Struct(data, place)
            fields = dict(page.fields())
            unfolded, place = unfolded + _size(fields, 2), page.place + _size(fields, 3)
        except (IndexError, ValueError):
            raise pa.ArrowInvalid("a page has no size") from None
    return unfolded


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


def _size(fields: dict[int, int | None], number: int) -> int:
    size = fields.get(number)
    if size is None or size < 0:
        raise ValueError("a page header without a size")
    return size


class _Struct:
    """A Thrift structure that begins at a place; `place` is where it ends, once all `fields` were seen."""

    _FALSE, _BYTE, _WHOLE, _DOUBLE, _BINARY, _INNER = 2, 3, (4, 5, 6), 7, 8, 12
    _DEEPEST, _MOST_FIELDS = 4, 32  # of a page header

    def __init__(self, data: memoryview, place: int, depth: int = 0) -> None:
        self._data, self._depth = data, depth
        self.place = place

    def fields(self) -> Iterator[tuple[int, int | None]]:
        """By number: of whole numbers the value."""
        number = 0
        for _ in range(self._MOST_FIELDS):
            head = self._next()
            if head == 0:
                return
            number = number + (head >> 4) if head >> 4 else self._whole()
            yield number, self._value(head & 15)
        raise ValueError("a page header has fewer fields")

    def _value(self, kind: int) -> int | None:
        if kind in self._WHOLE:
            return self._whole()
        if kind == self._INNER and self._depth < self._DEEPEST:
            inner = _Struct(self._data, self.place, self._depth + 1)
            for _ in inner.fields():
                pass
            self.place = inner.place
        elif kind == self._BINARY:
            length = self._varint()  # which moves the place, too
            self.place += length
        elif kind in (self._BYTE, self._DOUBLE):
            self.place += 1 if kind == self._BYTE else 8
        elif kind > self._FALSE:
            raise ValueError(f"a page header has no fields of kind {kind}")
        return None

    def _whole(self) -> int:
        number = self._varint()
        return (number >> 1) ^ -(number & 1)

    def _varint(self) -> int:
        number = 0
        for place in range(0, 70, 7):
            byte = self._next()
            number |= (byte & 127) << place
            if byte < 128:
                return number
        raise ValueError("a number without end")

    def _next(self) -> int:
        self.place += 1
        return int(self._data[self.place - 1])
