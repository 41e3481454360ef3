"""Tells the page which settings are best within limits. The search for them begins when a page first asks."""

import asyncio
from collections.abc import AsyncIterator, Callable

from vestigo.choosing.best_within import Limits
from vestigo.choosing.explorer import Explorer
from vestigo.errors import GivenUp, InputError
from vestigo.show.page.best import point_told, recommended
from vestigo.show.page.knobs import values_of
from vestigo.stopping import Once
from vestigo.web.explore.answers import Sent, told_line
from vestigo.web.explore.settings import limits_asked, problems_of
from vestigo.web.explore.work import Task, Work

_TELLS_EVERY_SECONDS = 0.3
_Tell = Callable[[Task, Limits], AsyncIterator[str]]


class Finding:
    """The search of a page, and what it answers."""

    def __init__(self, explorer: Explorer, work: Work) -> None:
        self._explorer, self._work = explorer, work
        self._begun = Once(lambda: work.begin(explorer.best.find))
        self._today = Once(lambda: values_of(explorer.plan, explorer.trace.lookups))

    def best(self, sent: Sent) -> AsyncIterator[str]:
        """The settings that are best within the limits that were sent."""
        return self._told(sent, "best", self._best)

    def line(self, sent: Sent) -> AsyncIterator[str]:
        """The best within ever less memory, each in a line of its own."""
        return self._told(sent, "line", self._line)

    async def _told(self, sent: Sent, what: str, tell: _Tell) -> AsyncIterator[str]:
        try:
            limits = limits_asked(sent.settings)
            async with self._work.task(f"{sent.tab} {what}") as task:
                async for line in self._until_found(task):
                    yield line
                async for line in tell(task, limits):
                    yield line
        except InputError as error:
            yield told_line("problem", {"problems": problems_of(error, sent.settings)})
        except GivenUp:
            return

    async def _until_found(self, task: Task) -> AsyncIterator[str]:
        """Lines that say how far the search is."""
        finding = self._begun.get()
        while not finding.done():
            yield told_line("searching", self._explorer.best.tried._asdict())
            await asyncio.sleep(_TELLS_EVERY_SECONDS)
            task.stop.check()
        finding.result()  # raises what went wrong

    async def _best(self, task: Task, limits: Limits) -> AsyncIterator[str]:
        best = self._explorer.best
        found = await task.do(lambda: best.ask(limits))
        yield told_line("best", recommended(best, found, self._today.get()))

    async def _line(self, task: Task, limits: Limits) -> AsyncIterator[str]:
        is_known, points = self._explorer.stale_known, enumerate(self._explorer.best.line(limits))
        while (numbered := await task.do(lambda: next(points, None))) is not None:
            number, one = numbered
            yield told_line("point", point_told(one, number, is_known, self._today.get()))
