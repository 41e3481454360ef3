"""Opens files as bytes or text, compressed (gzip, bzip2, Zstandard) or plain, as their ending says."""

import io
import re
from pathlib import Path
from typing import Any, NamedTuple

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.machine import memory_bytes
from vestigo.trace.formats.mapped import mapped
from vestigo.units import format_bytes

_PART = 1 << 20
_MOST_TIMES = 200
"""So many times its own size a large file may unfold to: texts of a trace are packed to a fiftieth at best."""
_ROW_BYTES = 50
"""What a row takes when it is read, however little it takes in the file."""
_MOST_BLANK_BYTES = 1 << 20


class Limits(NamedTuple):
    """How much of a file is read before it is refused, in bytes."""

    longest_line: int = 16 << 20
    unfolds_to: int = 1 << 30


LIMITS = Limits()

PACKINGS = ("", ".gz", ".bz2", ".zst")


_ROTATED = re.compile(r"[.-]\d[\dt_.:-]*$")
"""What rotation appends to the name of a log: ``.1``, ``-20260317``, ``.2026-03-17T08``."""


def packing_of(path: Path) -> str:
    """The ending of a compressed file, or nothing."""
    return next((packing for packing in PACKINGS[1:] if path.name.lower().endswith(packing)), "")


def unpacked_name(path: Path) -> str:
    """The file's name in lower case, without the ending of a compressed file, and without what rotation appends."""
    return _ROTATED.sub("", path.name.lower().removesuffix(packing_of(path)))


def open_bytes(path: Path, limits: Limits) -> io.BufferedReader:
    """The unpacked content, from its beginning.

    Raises OSError, also if a compressed file is cut short, and TraceError if it exceeds the limits.
    """
    return io.BufferedReader(_Guarded(path, limits), 1 << 20)


def check_text(path: Path, limits: Limits) -> None:
    """Raises TraceError for a file that is empty, or in UTF-16, or begins with nothing but empty lines."""
    with open_bytes(path, limits) as file:
        begin = file.read(_MOST_BLANK_BYTES)
    if not begin:
        raise TraceError(f"{path}: is empty")
    if begin[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise TraceError(f"{path}: is UTF-16 text; save it as UTF-8")
    if len(begin) == _MOST_BLANK_BYTES and begin.isspace():
        raise TraceError(f"{path}: begins with {format_bytes(len(begin))} of empty lines; leave them out")


def open_text(path: Path, limits: Limits) -> io.TextIOWrapper:
    """The same as UTF-8 text. A byte order mark is skipped, and line ends stay as they are."""
    return io.TextIOWrapper(open_bytes(path, limits), encoding="utf-8-sig", newline="")


def is_packed(path: Path) -> bool:
    return packing_of(path) != ""


def whole(path: Path, limits: Limits) -> pa.Buffer:
    """All of the unpacked content. A plain file is mapped, not copied, and the caller must check whether its lines are
    too long. Raises the same errors as `open_bytes`.
    """
    if is_packed(path):
        content = bytearray()  # it grows where it is; Arrow's own buffer would be copied, and be there twice
        with open_bytes(path, limits) as file:
            while part := file.read(_PART):
                content += part
        return pa.py_buffer(content)
    return mapped(path)


def too_long(path: Path, line: int, limits: Limits) -> TraceError:
    most = format_bytes(limits.longest_line)
    return TraceError(f"{path}, line {line}: is longer than {most}; if that is right, state longest_line")


def most_unfolded(path: Path, limits: Limits) -> int:
    """How many bytes a file may take when it is read. Unless more is stated, that is at most half of this machine's
    memory.
    """
    return max(limits.unfolds_to, min(_MOST_TIMES * path.stat().st_size, memory_bytes() // 2))


def check_unfolded(path: Path, amount: int, limits: Limits) -> None:
    """Raises TraceError if a compressed file unpacks to more bytes than it may."""
    if amount > (most := most_unfolded(path, limits)):
        raise TraceError(f"{path}: unpacks to more than {format_bytes(most)}; if that is right, state unfolds_to")


def check_rows(path: Path, rows: int, limits: Limits, what: str = "rows") -> None:
    """Raises TraceError if the rows of a file take more memory than they may, whatever they take in the file."""
    takes = rows * _ROW_BYTES
    if takes > most_unfolded(path, limits):
        raise TraceError(
            f"{path}: has {rows:,} {what} or more, which take {format_bytes(takes)} when they are read; "
            f"if that is right, state unfolds_to (--intake unfolds_to={(takes >> 30) + 1}GiB)"
        )


class _Guarded(io.RawIOBase):
    """Unpacks, and counts what comes out, because a small file can hold more than any memory."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self._path, self._limits = path, limits
        self._is_packed = is_packed(path)
        self._stream = pa.input_stream(path, compression="detect")
        self._given = self._line = 0
        self._lines = 1

    def readable(self) -> bool:
        return True

    def readinto(self, target: Any) -> int:
        part = self._stream.read(min(len(target), _PART))
        self._given += len(part)
        if self._is_packed:
            check_unfolded(self._path, self._given, self._limits)
        newline = part.rfind(b"\n")
        first = part.find(b"\n") if newline >= 0 else len(part)
        if self._line + first > self._limits.longest_line:
            raise too_long(self._path, self._lines, self._limits)
        self._lines += part.count(b"\n") if newline >= 0 else 0
        if self._is_packed:
            check_rows(self._path, self._lines, self._limits)
        self._line = len(part) - newline - 1 if newline >= 0 else self._line + len(part)
        target[: len(part)] = part
        return len(part)

    def close(self) -> None:
        if not self.closed:
            self._stream.close()
        super().close()
