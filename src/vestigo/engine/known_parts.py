"""``KnownParts``: what parts of replays gave. What several settings have in common is replayed once."""

from collections.abc import Callable, Hashable, Iterator
from concurrent.futures import Future
from contextlib import AbstractContextManager, contextmanager
from threading import RLock
from typing import Any, Protocol, TypeVar
from weakref import finalize

from vestigo.trace import Trace


class Sized(Protocol):
    """What can be kept."""

    @property
    def bytes(self) -> int:
        """The memory that it takes, about."""


_S = TypeVar("_S", bound=Sized)
MOST_BYTES = 256 << 20
"""What is kept of all traces together."""


class Name:
    """All that a result depends on. Its hash is worked out once."""

    __slots__ = ("_hash", "_on")

    def __init__(self, *on: Hashable) -> None:
        self._on, self._hash = on, hash(on)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Name) and self._hash == other._hash and self._on == other._on

    def is_of(self, first: Hashable) -> bool:
        return self._on[0] == first


class KeptResults:
    """Keeps what is made, by name. When all of it takes more than `most_bytes`, what was not asked for the longest is
    forgotten.
    """

    def __init__(self, most_bytes: int) -> None:
        self._most_bytes, self._bytes, self._lock = most_bytes, 0, RLock()
        self._holders = 0
        self._made: dict[Hashable, Future[Any]] = {}

    def get(self, name: Hashable, make: Callable[[], _S]) -> _S:
        """What has this name. If several threads ask for it, one makes it, and the others wait."""
        with self._lock:
            found = self._made.pop(name, None)
            is_new = found is None or _has_failed(found)
            result: Future[_S] = Future() if is_new or found is None else found
            self._made[name] = result  # the newest stands last
        if is_new:
            self._make(name, result, make)
        elif result.exception() is not None:  # it waits; then the other one has failed, or was told to stop
            return self.get(name, make)
        return result.result()

    def has(self, name: Hashable) -> bool:
        """Whether there is something of this name, or is being made."""
        return name in self._made

    @property
    def has_room(self) -> bool:
        """Whether less than nine tenths is taken."""
        return 10 * self._bytes < 9 * self._most_bytes

    @contextmanager
    def held(self) -> Iterator[None]:
        """Until this is over, nothing is forgotten because there is more."""
        with self._lock:
            self._holders += 1
        try:
            yield
        finally:
            with self._lock:
                self._holders -= 1
                self._make_room()

    def forget(self, is_over: Callable[[Any], bool]) -> None:
        """Forgets what has such a name."""
        with self._lock:
            for name in [name for name in self._made if is_over(name)]:
                self._drop(name)

    def _make(self, name: Hashable, result: "Future[_S]", make: Callable[[], _S]) -> None:
        try:
            made = make()
        except BaseException as error:
            result.set_exception(error)
            raise
        with self._lock:
            result.set_result(made)
            if self._made.get(name) is result:  # not forgotten meanwhile
                self._bytes += made.bytes
            self._make_room()

    def _make_room(self) -> None:
        while not self._holders and self._bytes > self._most_bytes and (oldest := self._oldest()) is not None:
            self._drop(oldest)

    def _drop(self, name: Hashable) -> None:
        made = self._made.pop(name, None)
        if made is not None and made.done() and not _has_failed(made):
            self._bytes -= made.result().bytes

    def _oldest(self) -> Hashable | None:
        """The name of what is there and was not asked for the longest."""
        # A trace that goes away meanwhile takes its own results with it, so this looks at a copy.
        return next((name for name, made in list(self._made.items()) if made.done() and not _has_failed(made)), None)


_RESULTS = KeptResults(MOST_BYTES)


def has_room() -> bool:
    """Whether more can be kept without forgetting anything."""
    return _RESULTS.has_room


def held() -> AbstractContextManager[None]:
    """Until this is over, nothing is forgotten."""
    return _RESULTS.held()


class KnownParts:
    """What is known of one trace. It is forgotten with the trace."""

    def __init__(self) -> None:
        mine = id(self)
        finalize(self, _RESULTS.forget, lambda name: name.is_of(mine))

    def has(self, name: Hashable) -> bool:
        """Whether it is known what has this name."""
        return _RESULTS.has(Name(id(self), name))

    def get(self, name: Hashable, make: Callable[[], _S]) -> _S:
        """What has this name. It is made if it is not known."""
        return _RESULTS.get(Name(id(self), name), make)


def known_parts(trace: Trace) -> KnownParts:
    """What is known of a trace."""
    return trace.once("known", KnownParts)


def _has_failed(made: "Future[Any]") -> bool:
    return made.done() and made.exception() is not None
