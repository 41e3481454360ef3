"""Files as bytes or text, packed (gzip, bzip2, Zstandard) or plain, as their ending says."""

import io
from pathlib import Path

import pyarrow as pa

from vestigo.errors import TraceError

PACKINGS = ("", ".gz", ".bz2", ".zst")


def unpacked_name(path: Path) -> str:
    """The file's name in small letters, without the ending that tells how it is packed."""
    name = path.name.lower()
    return next((name.removesuffix(packing) for packing in PACKINGS[1:] if name.endswith(packing)), name)


def open_bytes(path: Path) -> io.BufferedReader:
    """The unpacked content, from its beginning. Raises OSError, also where a packed file is cut short."""
    return io.BufferedReader(pa.input_stream(path, compression="detect"))


def check_text(path: Path) -> None:
    """Raises TraceError for a file that is empty or in UTF-16."""
    with open_bytes(path) as file:
        begin = file.read(2)
    if not begin:
        raise TraceError(f"{path}: is empty")
    if begin in (b"\xff\xfe", b"\xfe\xff"):
        raise TraceError(f"{path}: is text in UTF-16; save it in UTF-8")


def open_text(path: Path) -> io.TextIOWrapper:
    """The same as UTF-8; a byte order mark is passed over, line ends stay."""
    return io.TextIOWrapper(open_bytes(path), encoding="utf-8-sig", newline="")


def whole(path: Path) -> pa.Buffer:
    """All of the unpacked content; that of a plain file is mapped, not copied."""
    if path.name.lower().endswith(PACKINGS[1:]):
        with pa.input_stream(path, compression="detect") as stream:
            return stream.read_buffer()
    if path.stat().st_size == 0:  # which cannot be mapped
        return pa.py_buffer(b"")
    with pa.memory_map(str(path)) as file:
        return file.read_buffer()
