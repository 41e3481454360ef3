"""What a recorder finds out about a value: its size and its version."""

import marshal
import sys
from typing import Any
from zlib import adler32, crc32

# The oldest format has neither references nor interning, so that equal values are equal bytes.
_FORMAT = 0
_CONTAINERS = {dict, set, frozenset, list, tuple}


def plain_size(value: object) -> int:
    """The bytes of a text, of bytes, or of plain data written as text. For other objects, the size that Python gives.

    >>> plain_size("abc"), plain_size(b"abcd"), plain_size([1, 2.5, None]) < 30
    (3, 4, True)
    """
    return plain_size_and_version(value)[0]


def plain_version(value: object) -> int | None:
    """A checksum of a text, of bytes, or of plain data (numbers, texts, lists, dicts of these). None for other objects.

    It consists of two checksums of 32 bits each, CRC-32 and Adler-32 (RFC 1950). Unless someone constructs equal ones
    on purpose, they tell a value from the one before as well as a hash does, in a third of its time.

    >>> plain_version({"a": 1}) == plain_version({"a": 1}) != plain_version({"a": 2})
    True
    """
    return plain_size_and_version(value)[1]


def plain_size_and_version(value: Any) -> tuple[int, int | None]:
    """Size and version together, for which the value is written as text only once."""
    kind = type(value)
    try:
        if kind is str:
            data = value.encode()
        else:
            data = value if kind is bytes else marshal.dumps(_in_order(value, kind), _FORMAT)
    except ValueError:
        return sys.getsizeof(value), None
    return len(data), crc32(data) << 32 | adler32(data)


def _in_order(value: Any, kind: type) -> Any:
    """Puts sets and dicts in order, so that equal ones give the same text. Other plain data stays as it is."""
    if kind is dict:
        return "dict", _sorted([(_one(key), _one(one)) for key, one in value.items()])
    if kind is set or kind is frozenset:
        return "set", _sorted([_one(one) for one in value])  # inner sets first: they have no order themselves
    if kind in _CONTAINERS and any(type(one) in _CONTAINERS for one in value):
        return kind(map(_one, value))
    return value


def _one(value: object) -> object:
    return _in_order(value, type(value)) if type(value) in _CONTAINERS else value


def _sorted(items: list[Any]) -> list[Any]:
    try:
        return sorted(items)  # the keys of a dict differ, so its values are never compared
    except TypeError:  # of different kinds
        return sorted(items, key=repr)
