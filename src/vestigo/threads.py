"""Threads for replays side by side. While they run, they release Python's lock."""

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from typing import Any, TypeVar

_at_work = ContextVar("vestigo_at_work", default=False)
_T = TypeVar("_T")
_Made = TypeVar("_Made")


def are_at_work() -> bool:
    """Whether this thread is one of several that work side by side."""
    return _at_work.get()


class _Threads(ThreadPoolExecutor):
    """What its threads do can be stopped together with the work that asks for it."""

    def submit(self, fn: Callable[..., object], /, *args: Any, **named: Any) -> Future[Any]:
        context = copy_context()
        context.run(_at_work.set, True)
        return super().submit(context.run, fn, *args, **named)


@contextmanager
def side_by_side() -> Iterator[ThreadPoolExecutor]:
    """A pool with a thread for each core. On an interrupt, it does not wait for threads that are at work."""
    threads = _Threads(os.cpu_count())
    try:
        yield threads
    except BaseException:
        threads.shutdown(wait=False, cancel_futures=True)
        raise
    threads.shutdown()


@contextmanager
def one_at_a_time() -> Iterator[None]:
    """Work in this block takes one core, and leaves the others to whoever waits for an answer."""
    token = _at_work.set(True)
    try:
        yield
    finally:
        _at_work.reset(token)


def each_side_by_side(make: Callable[[_T], _Made], of: Sequence[_T]) -> list[_Made]:
    """What `make` makes of each, in order. A thread that is one of several at work does it alone.

    >>> each_side_by_side(lambda number: number * number, [1, 2, 3])
    [1, 4, 9]
    """
    if len(of) < 2 or are_at_work():
        return [make(one) for one in of]
    with side_by_side() as threads:
        return list(threads.map(make, of))
