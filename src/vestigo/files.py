"""Files are written whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from vestigo.errors import InputError

_unfinished: set[Path] = set()


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Gives the name of a temporary file beside `path`, with the same ending. When the block ends, that file replaces
    `path`.

    If anything goes wrong, `path` stays as it was and nothing is left behind. Raises OSError at once if the folder
    cannot be written.
    """
    unfinished = path.with_name(f".{os.getpid()}.{path.name}")
    try:
        unfinished.touch()
        _unfinished.add(unfinished)
        yield unfinished
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)
        _unfinished.discard(unfinished)


def write_text(path: Path, text: str) -> None:
    """Writes a text file, whole or not at all. Raises InputError if it cannot be written."""
    try:
        with replacing(path) as unfinished:
            unfinished.write_text(text, encoding="utf-8")
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}") from None


def remove_unfinished() -> None:
    """Removes files that are still being written, for a process that is about to end at once."""
    for path in list(_unfinished):
        path.unlink(missing_ok=True)
