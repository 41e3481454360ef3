"""The work that the page asks for. A newer request of a tab gives up its older one, and nothing goes on that nobody
waits for.
"""

import asyncio
from collections.abc import AsyncIterator, Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import asynccontextmanager
from itertools import count
from typing import TypeVar

from vestigo.stopping import Stop, stoppable

_AT_ONCE = 4
_MOST_TASKS = 50

T = TypeVar("T")


class Task:
    """The steps of one request. They are done in a thread, until it is given up."""

    def __init__(self, threads: ThreadPoolExecutor) -> None:
        self.stop = Stop()
        self._threads = threads

    async def do(self, step: Callable[[], T]) -> T:
        """Raises GivenUp if it is given up. It gives itself up if nobody waits any more."""

        def stoppable_step() -> T:
            with stoppable(self.stop):
                self.stop.check()
                return step()

        try:
            return await asyncio.get_running_loop().run_in_executor(self._threads, stoppable_step)
        except asyncio.CancelledError:
            self.stop.ask()
            raise


class Work:
    """What is being worked on."""

    def __init__(self) -> None:
        self._tasks: dict[str, Task] = {}
        self._threads = ThreadPoolExecutor(_AT_ONCE, "vestigo-page")
        self._numbers = count()
        self._one_large = asyncio.Lock()
        self._own = Stop()
        self._is_over = False

    def begin(self, step: Callable[[], T]) -> "Future[T]":
        """Begins work of the page's own, for every tab."""

        def stoppable_step() -> T:
            with stoppable(self._own):
                return step()

        return self._threads.submit(stoppable_step)

    @asynccontextmanager
    async def task(self, tab: str | None = None) -> AsyncIterator[Task]:
        """A task that begins now. The older one of the same tab is given up."""
        name = tab if tab is not None else f"page {next(self._numbers)}"
        if before := self._tasks.pop(name, None):
            before.stop.ask()
        task = self._tasks[name] = Task(self._threads)
        if self._is_over:
            task.stop.ask()
        while len(self._tasks) > _MOST_TASKS:
            self._tasks.pop(next(iter(self._tasks))).stop.ask()
        try:
            yield task
        finally:
            task.stop.ask()
            if self._tasks.get(name) is task:
                del self._tasks[name]

    @asynccontextmanager
    async def room(self, is_large: bool) -> AsyncIterator[None]:
        """Of tasks that take much memory, one is done at a time."""
        if not is_large:
            yield
            return
        async with self._one_large:
            yield

    def give_up(self) -> None:
        """Gives up everything, now and later, because the page is closed."""
        self._is_over = True
        self._own.ask()
        for task in self._tasks.values():
            task.stop.ask()
