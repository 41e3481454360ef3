"""Answers the requests of the page with knobs."""

import asyncio
import hmac
import json
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from concurrent.futures import Future
from itertools import chain
from typing import NamedTuple

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response, StreamingResponse
from starlette.routing import Route

from vestigo.choosing.explorer import Explorer
from vestigo.errors import GivenUp, InputError
from vestigo.rules import Plan
from vestigo.rules.plan_text import plan_text
from vestigo.show.page.explore import explore_html, opening_html
from vestigo.show.page.explored import estimated, opened, replayed, surroundings
from vestigo.stopping import Once
from vestigo.web.explore.reading import OF, check_page, key_page, keys_page, problem_page
from vestigo.web.explore.settings import plan_asked, problems_of
from vestigo.web.explore.work import Work

_LARGEST_BODY = 1 << 18
_LOOKS_EVERY_SECONDS = 0.1
_HEADERS = {
    "Cache-Control": "no-store",
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
}


Reading = Callable[[Explorer, Plan, Mapping[str, str]], str]


def page(explorer: Explorer, token: str, hosts: tuple[str, ...], work: Work) -> Starlette:
    """The application. It answers only requests that have the `token` in their address, name one of the `hosts`, and
    come from the page itself. `work` has the threads that it works in.
    """
    document = Once(lambda: explore_html(explorer))
    opening: Future[None] | None = None
    if not explorer.here.is_ready:
        opening = work.begin(lambda: _open(explorer, document))
    first = document.get() if opening is None else opening_html(explorer)

    async def start(_: Request) -> Response:
        if _is_under_way(opening):
            return HTMLResponse(first, headers=_HEADERS)
        if opening is not None:
            opening.result()  # raises what went wrong
        return HTMLResponse(document.get(), headers=_HEADERS)

    async def replay(request: Request) -> Response:
        sent = await _sent(request)
        return StreamingResponse(_answers(explorer, sent, work, opening), 200, _HEADERS, "application/x-ndjson")

    async def plan(request: Request) -> Response:
        sent = await _sent(request)
        try:
            return JSONResponse({"plan": plan_text(plan_asked(explorer, sent.settings).to_dict())}, headers=_HEADERS)
        except InputError as error:
            return JSONResponse({"kind": "problem", "problems": problems_of(error, sent.settings)}, headers=_HEADERS)

    def reading(make: Reading) -> Callable[[Request], Awaitable[Response]]:
        async def answer(request: Request) -> Response:
            query = dict(request.query_params)
            settings = {name: text for name, text in query.items() if name not in OF}
            try:
                made = await _unless_left(request, asyncio.ensure_future(read(make, settings, query)))
            except InputError as error:
                return HTMLResponse(problem_page(error), 400, headers=_HEADERS)
            except GivenUp:
                return Response("nobody waits for this page", 503, headers=_HEADERS)
            return HTMLResponse(made, headers=_HEADERS)

        return answer

    async def read(make: Reading, settings: Mapping[str, str], query: Mapping[str, str]) -> str:
        plan = plan_asked(explorer, settings)
        async with work.task() as task, work.room(plan.what_if != explorer.plan.what_if):
            return await task.do(lambda: make(explorer, plan, query))

    def guarded(answer: Callable[[Request], Awaitable[Response]]) -> Callable[[Request], Awaitable[Response]]:
        async def checked(request: Request) -> Response:
            if not hmac.compare_digest(request.path_params["token"].encode(), token.encode()):
                raise HTTPException(404)
            if request.headers.get("host") not in hosts:
                raise HTTPException(403, "only this machine may open this page")
            origin = request.headers.get("origin")
            if origin is not None and origin.removeprefix("http://") not in hosts:
                raise HTTPException(403, "refused: the request comes from another site")
            return await answer(request)

        return checked

    answers = {
        "": (start, "GET"),
        "replay": (replay, "POST"),
        "plan": (plan, "POST"),
        "check": (reading(check_page), "GET"),
        "keys": (reading(keys_page), "GET"),
        "key": (reading(key_page), "GET"),
    }
    routes = [
        Route(f"/{{token}}/{name}", guarded(answer), methods=[method]) for name, (answer, method) in answers.items()
    ]
    return Starlette(routes=routes, exception_handlers={Exception: _failed})


def _open(explorer: Explorer, document: Once[str]) -> None:
    """Works out what the page shows beside every replay, and the page."""
    explorer.here.ready()
    document.get()


async def _failed(_: Request, error: Exception) -> Response:
    """Says that there is a defect, where the browser shows it."""
    said = f"This failed because of a defect in Vestigo: {type(error).__name__}: {error}"
    return PlainTextResponse(said, 500, _HEADERS)


class Sent(NamedTuple):
    """What the page sends."""

    tab: str
    settings: dict[str, str]
    around: str
    """The name of what the page compares the numbers with (`vestigo.show.page.explored.surroundings`)."""


async def _sent(request: Request) -> Sent:
    """Raises HTTPException."""
    body = bytearray()
    async for chunk in request.stream():
        body += chunk
        if len(body) > _LARGEST_BODY:
            raise HTTPException(413, "more than a page sends")
    try:
        given = json.loads(body)
        sent = Sent(given["tab"], dict(given["settings"]), given["around"])
        if not all(isinstance(each, str) for each in (sent.tab, sent.around, *chain(*sent.settings.items()))):
            raise ValueError
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise HTTPException(400, "not what the page sends") from None
    return sent


async def _unless_left(request: Request, making: "asyncio.Future[str]") -> str:
    """What is being made, unless the browser goes away before. Raises GivenUp then."""
    while not making.done():
        await asyncio.wait([making], timeout=_LOOKS_EVERY_SECONDS)
        if await request.is_disconnected():
            making.cancel()
            raise GivenUp("nobody waits for this page")
    return await making


def _is_under_way(opening: "Future[None] | None") -> bool:
    return opening is not None and not opening.done()


async def _answers(explorer: Explorer, sent: Sent, work: Work, opening: "Future[None] | None") -> AsyncIterator[str]:
    """A line for each answer: from a sample if the trace is long, then from all of it, then what it is compared with if
    that has changed. While the page is opening, only the sample answers, and a line tells when it has opened.
    """
    begun = time.monotonic()

    def line(kind: str, told: Mapping[str, object]) -> str:
        took = round((time.monotonic() - begun) * 1000)
        return json.dumps({"kind": kind, "took_ms": took, **told}, separators=(",", ":")) + "\n"

    try:
        plan = plan_asked(explorer, sent.settings)
        async with work.task(sent.tab) as task, work.room(plan.what_if != explorer.plan.what_if):
            around = explorer.around(plan.what_if)
            estimate = await task.do(lambda: around.estimate(plan))
            if _is_under_way(opening):
                today = await task.do(lambda: around.estimate(around.plan))
                if estimate is not None and today is not None:
                    yield line("sample", opened(estimate, today, explorer.stale_known))
                while _is_under_way(opening):
                    await asyncio.sleep(_LOOKS_EVERY_SECONDS)
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
