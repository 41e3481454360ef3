"""Gives up work that nobody waits for any more."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from threading import Event, Lock
from typing import Generic, TypeVar

from vestigo.errors import GivenUp

T = TypeVar("T")

_LOOKS_EVERY_SECONDS = 0.1


class Stop:
    """One thread asks for the stop. The work under `stoppable` obeys: long work looks at it between its steps."""

    def __init__(self) -> None:
        self._asked = Event()

    def ask(self) -> None:
        self._asked.set()

    def check(self) -> None:
        """Raises GivenUp if it was asked for."""
        if self._asked.is_set():
            raise GivenUp("the work was given up")


_current: ContextVar[Stop | None] = ContextVar("vestigo_stop", default=None)


@contextmanager
def stoppable(stop: Stop) -> Iterator[None]:
    """Work in this block can be stopped.

    >>> stop = Stop()
    >>> with stoppable(stop):
    ...     check()
    ...     stop.ask()
    ...     check()
    Traceback (most recent call last):
    ...
    vestigo.errors.GivenUp: the work was given up
    """
    token = _current.set(stop)
    try:
        yield
    finally:
        _current.reset(token)


def check() -> None:
    """Raises GivenUp if the work that this is part of was told to stop."""
    if (stop := _current.get()) is not None:
        stop.check()


@contextmanager
def holding(lock: Lock) -> Iterator[None]:
    """Holds a lock. Whoever waits for it can be told to stop."""
    while not lock.acquire(timeout=_LOOKS_EVERY_SECONDS):
        check()
    try:
        yield
    finally:
        lock.release()


class Once(Generic[T]):
    """A value that is made by whoever asks first. Others wait for it, and can be told to stop while they do.

    >>> value = Once(lambda: 5)
    >>> value.get()
    5
    """

    def __init__(self, make: Callable[[], T]) -> None:
        self._make, self._lock = make, Lock()
        self._made: list[T] = []

    @property
    def is_made(self) -> bool:
        return bool(self._made)

    def get(self) -> T:
        if not self._made:
            with holding(self._lock):
                if not self._made:
                    self._made.append(self._make())
        return self._made[0]
