"""Threads for replays side by side. While they run, they release Python's lock."""

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import copy_context
from typing import Any


class _Threads(ThreadPoolExecutor):
    """What its threads do can be stopped together with the work that asks for it."""

    def submit(self, fn: Callable[..., object], /, *args: Any, **named: Any) -> Future[Any]:
        return super().submit(copy_context().run, fn, *args, **named)


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
