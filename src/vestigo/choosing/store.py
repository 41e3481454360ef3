"""Results on disk. The name of a candidate's result is made of everything that it depends on, so that it is found
again.
"""

import contextlib
import hashlib
import json
import os
import sqlite3
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import TypeVar

import numpy as np
import pyarrow as pa

from vestigo.errors import InputError
from vestigo.rules import Plan
from vestigo.trace import Trace
from vestigo.trace.names import arrow_names
from vestigo.trace.trace import COLUMNS

_R = TypeVar("_R")
_FORMAT = 3
_DRAWN_BY = "jitter drawn by key, compartment and number"
"""Results from before this was so are not taken for those of now."""
_TABLE = "CREATE TABLE result (name TEXT PRIMARY KEY, content TEXT, digest TEXT)"
_BEGINS = b"SQLite format 3\0"
_OF_THE_PLACE = {
    *(sqlite3.SQLITE_FULL, sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_CANTOPEN),
    *(sqlite3.SQLITE_PERM, sqlite3.SQLITE_NOMEM, sqlite3.SQLITE_INTERRUPT),
}
"""Errors that say nothing about the content of a file."""
_ERRORS = (sqlite3.DatabaseError, UnicodeDecodeError)


class Store:
    """A SQLite file. What is put is saved at once, whatever happens to the process afterwards.

    A damaged file is set aside, and `notes` says so. Raises InputError if the file cannot be written, or is something
    else.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.notes: list[str] = []
        _refuse_others(path)
        try:
            try:
                self._file = self._opened()
            except _ERRORS as error:
                if not self._is_damage(error):
                    raise
                self._set_aside()
                self._file = self._opened()
        except _ERRORS as error:
            raise InputError(f"{path}: results cannot be kept there: {error}; name another file") from None

    def get(self, name: str, made: Callable[[dict[str, object]], _R]) -> _R | None:
        """What is `made` of the result under this name, unless it was damaged since."""
        try:
            row = self._file.execute("SELECT content, digest FROM result WHERE name = ?", (name,)).fetchone()
        except _ERRORS:  # damaged since it was opened
            row = ("", "nothing")
        if row is None:
            return None
        content, digest = row
        if isinstance(content, str) and digest_of(content) == digest:
            with contextlib.suppress(LookupError, TypeError, ValueError, AttributeError):  # it is no such result
                return made(json.loads(content))
        self.notes.append(f"{self.path}: a result is damaged; it is replayed again")
        return None

    def put(self, name: str, result: Mapping[str, object]) -> None:
        """Saves a result under this name. Raises InputError if the disk is full."""
        self.put_all({name: result})

    def put_all(self, results: Mapping[str, Mapping[str, object]]) -> None:
        """Saves results by name, all at once. Raises InputError if the disk is full."""
        contents = {name: json.dumps(result) for name, result in results.items()}
        rows = [(name, content, digest_of(content)) for name, content in contents.items()]
        try:
            try:
                self._insert(rows)
            except _ERRORS as error:
                if not self._is_damage(error):
                    raise
                self._begin_anew()
                self._insert(rows)
        except _ERRORS as error:
            raise InputError(
                f"{self.path}: a result cannot be kept: {error}; the {self._kept():,} so far are, so make room, and "
                "the same call goes on from there"
            ) from None

    def close(self) -> None:
        self._file.close()

    def _kept(self) -> int:
        try:
            return int(self._file.execute("SELECT count(*) FROM result").fetchone()[0])
        except _ERRORS:
            return 0

    def _is_damage(self, error: Exception) -> bool:
        """Whether an error comes from the content of the file, and not from its place."""
        code = getattr(error, "sqlite_errorcode", None)
        if code is None:  # ours, that of the library itself, or a name that is no text
            return not isinstance(error, sqlite3.OperationalError)
        if code & 255 == sqlite3.SQLITE_READONLY:
            return os.access(self.path, os.W_OK)
        return code & 255 not in _OF_THE_PLACE

    def _insert(self, rows: Sequence[tuple[str, str, str]]) -> None:
        with self._file:
            self._file.executemany("INSERT OR REPLACE INTO result VALUES (?, ?, ?)", rows)

    def _begin_anew(self) -> None:
        """Sets a file aside that was damaged since it was opened."""
        self._file.close()
        self._set_aside()
        self._file = self._opened()

    def _opened(self) -> sqlite3.Connection:
        file = sqlite3.connect(self.path)
        file.text_factory = lambda text: text.decode(errors="replace")  # damage shows in the digest
        try:
            if file.execute("PRAGMA quick_check").fetchone() != ("ok",):
                raise sqlite3.DatabaseError("damaged")
            tables = dict(file.execute("SELECT name, sql FROM sqlite_master WHERE type = 'table'"))
            if tables.keys() - {"result"}:
                raise sqlite3.OperationalError("it is a database of something else")
            if tables and tables["result"] != _TABLE:
                raise sqlite3.DatabaseError("damaged")
            if not tables:
                file.execute(_TABLE)
            file.commit()
        except BaseException:
            file.close()
            raise
        return file

    def _set_aside(self) -> None:
        names = (self.path.with_name(f"{self.path.name}.damaged-{number}") for number in range(1, 10_000))
        aside = next(name for name in names if not name.exists())
        self.path.rename(aside)
        self.notes.append(f"{self.path}: is damaged, so it is set aside as {aside.name} and all is replayed again")


def _refuse_others(path: Path) -> None:
    """Raises InputError for a file that is not a store. Such a file is not set aside."""
    try:
        with path.open("rb") as file:
            begins = file.read(len(_BEGINS))
    except FileNotFoundError:
        return
    except OSError as error:
        raise InputError(f"{path}: results cannot be kept there: {error.strerror}; name another file") from None
    if begins and begins != _BEGINS:
        raise InputError(f"{path}: is not a results store, and is left as it is; name another file")


def trace_name(trace: Trace) -> str:
    """The digest of everything that a trace holds."""
    return trace.once("name", lambda: _trace_digest(trace))


def _trace_digest(trace: Trace) -> str:
    digest = hashlib.blake2b(digest_size=20)
    for block in trace.blocks():
        for name in COLUMNS:
            digest.update(np.ascontiguousarray(getattr(block, name)).tobytes())
    digest.update(json.dumps([trace.lookups, trace.nodes, len(trace)]).encode())
    for buffer in arrow_names(trace.keys).cast(pa.large_string()).buffers()[1:]:
        digest.update(buffer or b"")
    return digest.hexdigest()


def result_name(trace: str, plan: Plan, *more: object) -> str | None:
    """The digest of everything that a candidate's result depends on. None if that cannot be told, because some rule is
    the user's own code.
    """
    if any(rules.eviction.own is not None or (rules.keep_if and rules.keep_if.own) for rules in plan.all_rules()):
        return None
    depends_on = [_FORMAT, our_version(), trace, plan.replayed_to_dict(), *more]
    if any(rules.jitter for rules in plan.all_rules()):
        depends_on.append(_DRAWN_BY)
    return digest_of(json.dumps(depends_on, sort_keys=True, default=str))


@cache
def our_version() -> str:
    """Vestigo's version. Looking it up reads a file."""
    return version("vestigo-replay")


def digest_of(content: str) -> str:
    """Names a content: another one has another digest."""
    return hashlib.blake2b(content.encode(), digest_size=20).hexdigest()
