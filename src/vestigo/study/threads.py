"""Threads for replays side by side, which leave Python to each other while they run."""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager


@contextmanager
def side_by_side() -> Iterator[ThreadPoolExecutor]:
    """A thread for each core. What is interrupted does not wait for those that are at work."""
    threads = ThreadPoolExecutor(os.cpu_count())
    try:
        yield threads
    except BaseException:
        threads.shutdown(wait=False, cancel_futures=True)
        raise
    threads.shutdown()
