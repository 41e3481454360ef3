"""Threads for replays side by side. While they run, they release Python's lock."""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager


@contextmanager
def side_by_side() -> Iterator[ThreadPoolExecutor]:
    """A pool with a thread for each core. On an interrupt, it does not wait for threads that are at work."""
    threads = ThreadPoolExecutor(os.cpu_count())
    try:
        yield threads
    except BaseException:
        threads.shutdown(wait=False, cancel_futures=True)
        raise
    threads.shutdown()
