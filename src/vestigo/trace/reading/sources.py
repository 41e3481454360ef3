"""Which files a trace is read from: one, several, all in a folder, those that match a pattern, or standard input."""

import glob
import shutil
import sys
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, NamedTuple

from vestigo.errors import TraceError
from vestigo.trace.formats.format import format_named

STANDARD_INPUT = "-"


class Source(NamedTuple):
    path: Path
    name: str
    """For messages."""


@contextmanager
def sources(where: Sequence[str | Path], formats: Iterable[str], format_: str | None) -> Iterator[list[Source]]:
    """The files, once each: as they are named, and in the order of their names within a folder or a pattern. Raises
    TraceError for a name without files.
    """
    if STANDARD_INPUT not in map(str, where):
        found = dict.fromkeys(file for one in where for file in _files(one, formats, format_))
        yield [Source(file, str(file)) for file in found]
        return
    if len(where) > 1:
        raise TraceError("standard input: stands beside other files; name either it or files")
    with _copied(sys.stdin.buffer, format_) as copy:
        yield [Source(copy, "standard input")]


def _files(where: str | Path, formats: Iterable[str], format_: str | None) -> list[Path]:
    path = Path(where)
    if path.is_dir():
        files = sorted(file for file in path.rglob("*") if file.is_file() and _is_visible(file.relative_to(path)))
        if format_ is None:
            files = [file for file in files if format_named(file, formats) is not None]
        if not files:
            raise TraceError(f"{path}: the folder has no file of a known format; known are {endings(formats)}")
    elif not path.exists() and any(sign in str(where) for sign in "*?["):
        files = sorted(Path(name) for name in _names_like(str(where)) if Path(name).is_file())
        if not files:
            raise TraceError(f"{where}: no file has a name like that")
    else:
        files = [path]
    return files


def endings(formats: Iterable[str]) -> str:
    """The endings of known formats, for messages."""
    return ", ".join(f".{name}" for name in formats)


def _names_like(pattern: str) -> list[str]:
    return glob.glob(pattern, recursive=True)  # noqa: PTH207  # a Path cannot hold an absolute pattern


def _is_visible(path: Path) -> bool:
    return not any(part.startswith(".") for part in path.parts)


@contextmanager
def _copied(stream: BinaryIO, format_: str | None) -> Iterator[Path]:
    """Copies a stream to a file, because readers go over it more than once."""
    if format_ is None:
        raise TraceError("standard input: has no name that tells its format; state it, such as format = 'csv'")
    with tempfile.TemporaryDirectory(prefix="vestigo-") as folder:
        copy = Path(folder) / f"input.{format_}"
        with copy.open("wb") as file:
            shutil.copyfileobj(stream, file)
        yield copy
