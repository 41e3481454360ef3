"""``Recorder`` notes what a running service reads, without getting in its way."""

import atexit
import inspect
import itertools
import os
import socket
import weakref
from collections.abc import Awaitable, Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from pathlib import Path
from time import perf_counter_ns, time_ns
from typing import Any, ParamSpec, Self, TypeVar, cast, overload

from vestigo.arguments import argument, path_of
from vestigo.errors import RulesError
from vestigo.recording.hashing import hasher
from vestigo.recording.values import plain_size, plain_size_and_version, plain_version
from vestigo.recording.writer import Event, Writer
from vestigo.units import Duration, parse_bytes

P = ParamSpec("P")
R = TypeVar("R")
F = TypeVar("F", bound=Callable[..., object])
Key = str | int
Version = str | int | None
_NOTHING = (0, None)
_scope: ContextVar[str | None] = ContextVar("vestigo_scope", default=None)
_numbers = itertools.count(1)


class Recorder:
    """Writes reads and changes of a service to files in a folder, which `read_trace` reads as one trace.

    It never blocks the service and never raises into it. Events wait in a buffer of at most `buffer` events, and a
    thread writes them every `flush_every`. If the buffer or the disk is full, events are dropped and counted. A killed
    process loses at most what was not flushed. A recorder that nobody closes is closed when nobody holds it any more,
    or when the program ends. Files are JSON Lines, and a new one begins every `rotate_at` bytes. With a `secret`, keys,
    versions, scopes and nodes are hashed before they are written. Several processes may record into one folder. A
    forked child records on its own.

    >>> import tempfile
    >>> from vestigo import read_trace
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     with Recorder(folder, node="quay-1") as recorder:
    ...         @recorder.reads("vessel")
    ...         def vessel(call_sign):
    ...             return {"name": "Gull"} if call_sign == "QAB123" else None
    ...         for call_sign in ("QAB123", "QZZ999", "QAB123"):
    ...             _ = vessel(call_sign)
    ...         recorder.write("vessel", "QAB123")
    ...     read_trace(folder).found.tolist()
    [1, 0, 1, -1]
    """

    def __init__(  # noqa: PLR0913  # options by name
        self,
        folder: str | Path,
        *,
        node: str | None = None,
        buffer: int = 100_000,
        rotate_at: int | str = "256 MiB",
        flush_every: Duration | str = "500ms",
        secret: bytes | str | None = None,
    ) -> None:
        """Makes the folder. Raises TraceError if nothing can be written there, and RulesError if an option is wrong."""
        _check(buffer, secret, node)
        span, largest = (
            argument("flush_every", Duration.parse, flush_every),
            argument("rotate_at", parse_bytes, rotate_at),
        )
        if span <= 0 or largest <= 0:
            raise RulesError("recorder: flush_every and rotate_at must be more than zero; leave them out for the usual")
        self.node = node if node is not None else f"{socket.gethostname()}-{os.getpid()}"
        """What the process is called. A forked child's name ends in its own number."""
        self.failed = 0
        """Reads that could not be noted, because a function for key, size or version raised."""
        hashed = hasher(secret) if secret is not None else None
        self._writer = Writer(path_of("folder", folder), buffer, largest, int(span) / 1e9, hashed)
        ref = weakref.ref(self)

        def name_child() -> None:
            if (there := ref()) is not None:
                there.node = f"{node if node is not None else socket.gethostname()}-{os.getpid()}"

        os.register_at_fork(after_in_child=name_child)
        atexit.register(_close, weakref.ref(self))

    @property
    def written(self) -> int:
        """Events in files."""
        return self._writer.written

    @property
    def dropped(self) -> int:
        """Events for which there was no room in the buffer or on the disk."""
        return self._writer.dropped

    @overload
    def reads(
        self,
        lookup: str,
        key: None = None,
        *,
        size: Callable[[object], int | None] = ...,
        version: Callable[[object], Version] | None = ...,
        null: Callable[[object], bool] | None = ...,
    ) -> Callable[[F], F]: ...
    @overload
    def reads(
        self,
        lookup: str,
        key: Callable[P, Key],
        *,
        size: Callable[[object], int | None] = ...,
        version: Callable[[object], Version] | None = ...,
        null: Callable[[object], bool] | None = ...,
    ) -> Callable[[Callable[P, R]], Callable[P, R]]: ...
    def reads(
        self,
        lookup: str,
        key: Callable[..., Key] | None = None,
        *,
        size: Callable[[object], int | None] = plain_size,
        version: Callable[[object], Version] | None = plain_version,
        null: Callable[[object], bool] | None = None,
    ) -> Callable[[Any], object]:
        """Decorates a function that loads a value from the origin, plain or async. Each call is noted as a read.

        `key` makes the key from the arguments of the call. By default the key is the arguments with colons between
        them. (The arguments of a method include the object, so give `key` there.) `size` and `version` are told from
        the value: by default the bytes of its plain text and a checksum of these (None for no version). `null` says
        whether the origin had nothing: by default, whether the value is None. A call that raises is not noted.
        """
        make_key = key if key is not None else _joined
        put = self._writer.put
        tell = plain_size_and_version if (size, version) == (plain_size, plain_version) else _teller(size, version)

        def decorate(load: Callable[P, R]) -> Callable[P, R]:
            def note(at: int, begun: int, value: object, args: Any, kwargs: Any) -> None:
                try:
                    cost = perf_counter_ns() - begun
                    found = value is not None if null is None else not null(value)
                    bytes_, value_version = tell(value) if found else _NOTHING
                    noted = make_key(*args, **kwargs)
                    put((at, "read", lookup, noted, bytes_, cost, found, value_version, _scope.get(), self.node))
                except Exception:  # the service goes on, whatever a user's function does
                    self.failed += 1

            if inspect.iscoroutinefunction(load):

                @wraps(load)
                async def later(*args: P.args, **kwargs: P.kwargs) -> Any:
                    at, begun = time_ns(), perf_counter_ns()
                    value = await cast("Awaitable[object]", load(*args, **kwargs))
                    note(at, begun, value, args, kwargs)
                    return value

                return cast("Callable[P, R]", later)

            @wraps(load)
            def at_once(*args: P.args, **kwargs: P.kwargs) -> R:
                at, begun = time_ns(), perf_counter_ns()
                value = load(*args, **kwargs)
                note(at, begun, value, args, kwargs)
                return value

            return at_once

        return decorate

    def write(self, lookup: str, key: Key) -> None:
        """Notes that the value of a key changed at the origin."""
        self._change("write", lookup, key)

    def remove(self, lookup: str, key: Key) -> None:
        """Notes that a key is gone from the origin."""
        self._change("remove", lookup, key)

    def drop(self, lookup: str, key: Key) -> None:
        """Notes that the program took a key out of its own cache. At the origin nothing changed."""
        self._change("drop", lookup, key)

    @contextmanager
    def scope(self, name: str | None = None) -> Iterator[str]:
        """Reads within this block belong to one request, session or page, and so do reads in tasks that it starts."""
        named = name if name is not None else f"{self.node}.{next(_numbers)}"
        token = _scope.set(named)
        try:
            yield named
        finally:
            _scope.reset(token)

    def flush(self) -> None:
        """Writes the events that wait. Only this and `close` wait for the disk."""
        self._writer.flush()

    def close(self) -> None:
        """Writes the events that wait, and ends the thread. Later events are dropped and counted."""
        self._writer.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<Recorder {self._writer.folder}: {self.written:,} events written, {self.dropped:,} dropped>"

    def _change(self, op: str, lookup: str, key: Key) -> None:
        event: Event = (time_ns(), op, lookup, key, None, None, None, None, _scope.get(), self.node)
        self._writer.put(event)


def _check(buffer: object, secret: object, node: object) -> None:
    """Raises RulesError for options that would fail only when something is recorded."""
    problems = []
    if not isinstance(buffer, int) or isinstance(buffer, bool) or buffer < 1:
        problems.append(f"recorder: buffer = {buffer!r} is not a number of events; write 100_000, for example")
    if not isinstance(secret, (bytes, str, type(None))):
        problems.append(f"recorder: secret is {type(secret).__name__}; give text or bytes")
    if not isinstance(node, (str, type(None))):
        problems.append(f'recorder: node = {node!r} is not a text; write node="quay-1", for example')
    if problems:
        raise RulesError(problems)


def _joined(*args: object, **kwargs: object) -> Key:
    if len(args) == 1 and not kwargs and type(args[0]) in (str, int):
        return cast("Key", args[0])
    return ":".join([*map(str, args), *(f"{name}={value}" for name, value in sorted(kwargs.items()))])


def _teller(
    size: Callable[[object], int | None], version: Callable[[object], Version] | None
) -> Callable[[object], tuple[int | None, Version]]:
    """A function that tells size and version of a value, using the user's functions."""
    return lambda value: (size(value), version(value) if version is not None else None)


def _close(recorder: "weakref.ref[Recorder]") -> None:
    if (there := recorder()) is not None:
        there.close()
