"""Which files a trace is read from: one, all in a folder, those that match a pattern, or standard input."""

import glob
import shutil
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, NamedTuple

from vestigo.errors import TraceError

STANDARD_INPUT = "-"


class Source(NamedTuple):
    path: Path
    name: str
    """For messages."""


@contextmanager
def sources(where: str | Path, endings: tuple[str, ...], format_: str | None) -> Iterator[list[Source]]:
    """The files, in the order of their names. Raises TraceError if there are none."""
    if str(where) == STANDARD_INPUT:
        with _copied(sys.stdin.buffer, format_) as copy:
            yield [Source(copy, "standard input")]
        return
    path = Path(where)
    if path.is_dir():
        files = sorted(file for file in path.rglob("*") if file.is_file() and _is_visible(file.relative_to(path)))
        if format_ is None:
            files = [file for file in files if file.name.lower().endswith(endings)]
        if not files:
            raise TraceError(f"{path}: the folder has no file of a known format; known are {', '.join(endings)}")
    elif not path.exists() and any(sign in str(where) for sign in "*?["):
        files = sorted(Path(name) for name in _names_like(str(where)) if Path(name).is_file())
        if not files:
            raise TraceError(f"{where}: no file has a name like that")
    else:
        files = [path]
    yield [Source(file, str(file)) for file in files]


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
