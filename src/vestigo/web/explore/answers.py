"""What the page is told about its settings, a line of JSON for each answer."""

import asyncio
import json
import time
from collections.abc import AsyncIterator, Mapping
from concurrent.futures import Future
from typing import NamedTuple

from vestigo.choosing.explorer import Explorer
from vestigo.errors import GivenUp, InputError
from vestigo.show.page.explored import estimated, opened, replayed, surroundings
from vestigo.web.explore.settings import plan_asked, problems_of
from vestigo.web.explore.work import Work

LOOKS_EVERY_SECONDS = 0.1
"""So often whoever waits for long work looks whether it is done."""


class Sent(NamedTuple):
    """What the page sends."""

    tab: str
    settings: dict[str, str]
    around: str
    """The name of what the page compares the numbers with (`vestigo.show.page.explored.surroundings`)."""


def told_line(kind: str, told: Mapping[str, object]) -> str:
    """An answer as the page reads it."""
    return json.dumps({"kind": kind, **told}, separators=(",", ":")) + "\n"


def is_under_way(opening: "Future[None] | None") -> bool:
    return opening is not None and not opening.done()


async def replays(explorer: Explorer, sent: Sent, work: Work, opening: "Future[None] | None") -> AsyncIterator[str]:
    """From a sample if the trace is long, then from all of it, then what it is compared with if that has changed. While
    the page is opening, only the sample answers, and a line tells when it has opened.
    """
    begun = time.monotonic()

    def line(kind: str, told: Mapping[str, object]) -> str:
        return told_line(kind, {"took_ms": round((time.monotonic() - begun) * 1000), **told})

    try:
        plan = plan_asked(explorer, sent.settings)
        async with work.task(sent.tab) as task, work.room(plan.what_if != explorer.plan.what_if):
            around = explorer.around(plan.what_if)
            estimate = await task.do(lambda: around.estimate(plan))
            if is_under_way(opening):
                today = await task.do(lambda: around.estimate(around.plan))
                if estimate is not None and today is not None:
                    yield line("sample", opened(estimate, today, explorer))
                while is_under_way(opening):
                    await asyncio.sleep(LOOKS_EVERY_SECONDS)
                    task.stop.check()
                yield line("opened", {})
                return
            if estimate is not None:
                yield line("sample", await task.do(lambda: estimated(estimate, around.today)))
            outcome = await task.do(lambda: around.replay(plan))
            yield line("now", await task.do(lambda: replayed(outcome, around, plan)))
            if sent.around != repr(plan.what_if):
                yield line("around", {"around": await task.do(lambda: surroundings(around))})
    except InputError as error:
        yield line("problem", {"problems": problems_of(error, sent.settings)})
    except GivenUp:
        return
