"""Files that are there whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from vestigo.errors import InputError

_unfinished: set[Path] = set()


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Gives a name beside `path`, with its ending, to write to; what stands there takes `path`'s place in the end.

    If anything goes wrong, `path` is as it was and nothing is left behind. Raises OSError at once where the folder
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
    """What was being written when a process is about to end without more ado."""
    for path in list(_unfinished):
        path.unlink(missing_ok=True)
