"""How many bytes the columns of a Parquet file unpack to. Its pages tell this before anything is unpacked.

The source is the Parquet format, parquet.thrift, in Thrift's compact protocol. A page that holds more than its header
says is refused when it is unpacked. The footer is read here too, because the usual reader ends the process over
senseless statistics.
"""

import struct
from collections.abc import Collection
from typing import Any, NamedTuple

import pyarrow as pa

_END_BYTES = 8  # the length of the footer, and the name of the format
_BYTES_A_VALUE = 4  # at least, once it is unpacked

_INT, _LONG, _BINARY, _LIST, _STRUCTURE = 5, 6, 8, 9, 12  # kinds of value

Field = tuple[int, int]
"""Its number and its kind: a field of another kind than the format says is none to any reader."""
Structure = dict[Field, Any]
"""Of a field that is a structure, or several."""

_GROUPS = (4, _LIST)  # of the file
_CHUNKS = (1, _LIST)  # of a group of rows
_META = (3, _STRUCTURE)  # of a column in one
_PATH, _VALUES, _PACKED_SIZE = (3, _LIST), (5, _LONG), (7, _LONG)  # in there
_DATA_AT, _DICTIONARY_AT = (9, _LONG), (11, _LONG)
_UNPACKED, _PACKED = (2, _INT), (3, _INT)  # sizes in the header of a page
_PLAIN_PAGE, _ITS_ENCODING = (5, _STRUCTURE), (2, _INT)
_NEWER_PAGE, _NEWER_ENCODING = (8, _STRUCTURE), (4, _INT)


DELTA_LENGTHS, DELTA_TEXTS = 6, 7
"""Encodings of texts: with their lengths apart, and with what each repeats of the one before."""


class Page(NamedTuple):
    size_bytes: int
    encoding: int | None
    """None for a dictionary."""


class Unfolded(NamedTuple):
    size_bytes: int
    largest_page: int
    encodings: dict[str, set[int | None]]
    """Those that the pages of each column have, whatever is said of the column."""


def unfolded(content: pa.Buffer, columns: Collection[str]) -> Unfolded:
    """The bytes of these columns, with at least 4 bytes a value. Raises ArrowInvalid if what the file says makes no
    sense.
    """
    data = memoryview(content).cast("B")
    try:
        (length,) = struct.unpack("<I", data[-_END_BYTES : 4 - _END_BYTES])
        footer = _Reader(data, len(data) - _END_BYTES - length).structure()
        chunks = [chunk[_META] for group in footer.get(_GROUPS, []) for chunk in group[_CHUNKS]]
        wanted = [one for one in chunks if _name(one) in columns]
        size_bytes, largest, encodings = 0, 0, dict[str, set[int | None]]()
        for chunk in wanted:
            pages = _pages(data, chunk)
            size_bytes += max(sum(page.size_bytes for page in pages), _BYTES_A_VALUE * chunk[_VALUES])
            largest = max([largest, *(page.size_bytes for page in pages)])
            encodings.setdefault(_name(chunk), set()).update(page.encoding for page in pages)
        return Unfolded(size_bytes, largest, encodings)
    except (IndexError, KeyError, TypeError, ValueError, AttributeError, struct.error):
        raise pa.ArrowInvalid("what it says of its pages makes no sense") from None


def _name(chunk: Structure) -> str:
    """The column of a chunk."""
    return str(chunk[_PATH][0].decode(errors="replace"))


def _pages(data: memoryview, chunk: Structure) -> list[Page]:
    if chunk[_PACKED_SIZE] == 0:  # a group without rows
        return []
    place = min(at for at in (chunk.get(_DICTIONARY_AT, 0), chunk[_DATA_AT]) if at > 0)  # 0: there is no such page
    end, pages = place + chunk[_PACKED_SIZE], []
    while place < end:
        header = _Reader(data, place)
        page = header.structure()
        if page[_UNPACKED] < 0 or page[_PACKED] < 0:
            raise ValueError("a page has a negative size")
        encoding = page.get(_PLAIN_PAGE, {}).get(_ITS_ENCODING, page.get(_NEWER_PAGE, {}).get(_NEWER_ENCODING))
        pages.append(Page(int(page[_UNPACKED]), encoding))
        place = header.place + page[_PACKED]
    return pages


class _Reader:
    """Reads what stands at `place`, and moves on. Raises ValueError or IndexError if it makes no sense."""

    _TRUE, _FALSE, _BYTE, _DOUBLE = 1, 2, 3, 7
    _WHOLE = (4, _INT, _LONG)
    _DEEPEST = 12

    def __init__(self, data: memoryview, place: int) -> None:
        self._data = data
        self._depth = 0
        self.place = place

    def structure(self) -> Structure:
        """Its fields."""
        self._depth += 1
        if self._depth > self._DEEPEST or self.place < 0:
            raise ValueError("it is nested too deep, or lies before the file")
        fields: dict[Field, object] = {}
        number = 0
        while head := self._next():
            number = number + (head >> 4) if head >> 4 else self._whole()
            kind = head & 15
            fields[number, kind] = kind == self._TRUE if kind in (self._TRUE, self._FALSE) else self._value(kind)
        self._depth -= 1
        return fields

    def _value(self, kind: int) -> object:
        if kind in self._WHOLE:
            return self._whole()
        if kind == _STRUCTURE:
            return self.structure()
        if kind == _BINARY:
            return self._bytes(self._varint())
        if kind in (_LIST, _LIST + 1):  # or a set
            head = self._next()
            count = head >> 4 if head >> 4 < 15 else self._varint()
            return [self._value(head & 15) for _ in range(count)]
        if kind in (self._TRUE, self._FALSE, self._BYTE, self._DOUBLE):
            return self._bytes(8 if kind == self._DOUBLE else 1)
        raise ValueError(f"{kind} is not a kind of value")

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

    def _bytes(self, count: int) -> bytes:
        self.place += count
        if self.place > len(self._data):
            raise IndexError("behind the file")
        return bytes(self._data[self.place - count : self.place])

    def _next(self) -> int:
        self.place += 1
        return int(self._data[self.place - 1])
