"""Answers the requests of the page with knobs."""

import asyncio
import hmac
import json
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from concurrent.futures import Future
from itertools import chain

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
from vestigo.stopping import Once
from vestigo.web.explore.answers import LOOKS_EVERY_SECONDS, Sent, is_under_way, replays
from vestigo.web.explore.best import Finding
from vestigo.web.explore.reading import check_page, key_page, keys_page, problem_page, settings_in
from vestigo.web.explore.settings import plan_asked, problems_of
from vestigo.web.explore.work import Work

_LARGEST_BODY = 1 << 18
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
        if is_under_way(opening):
            return HTMLResponse(first, headers=_HEADERS)
        if opening is not None:
            opening.result()  # raises what went wrong
        return HTMLResponse(document.get(), headers=_HEADERS)

    finding = Finding(explorer, work)

    def lines(make: Callable[[Sent], AsyncIterator[str]]) -> Callable[[Request], Awaitable[Response]]:
        async def answer(request: Request) -> Response:
            return StreamingResponse(make(await _sent(request)), 200, _HEADERS, "application/x-ndjson")

        return answer

    async def plan(request: Request) -> Response:
        sent = await _sent(request)
        try:
            return JSONResponse({"plan": plan_text(plan_asked(explorer, sent.settings).to_dict())}, headers=_HEADERS)
        except InputError as error:
            return JSONResponse({"kind": "problem", "problems": problems_of(error, sent.settings)}, headers=_HEADERS)

    def reading(make: Reading) -> Callable[[Request], Awaitable[Response]]:
        async def answer(request: Request) -> Response:
            query = dict(request.query_params)
            try:
                made = await _unless_left(request, asyncio.ensure_future(read(make, query)))
            except InputError as error:
                return HTMLResponse(problem_page(error, query), 400, headers=_HEADERS)
            except GivenUp:
                return Response("nobody waits for this page", 503, headers=_HEADERS)
            return HTMLResponse(made, headers=_HEADERS)

        return answer

    async def read(make: Reading, query: Mapping[str, str]) -> str:
        plan = plan_asked(explorer, settings_in(query))
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
        "replay": (lines(lambda sent: replays(explorer, sent, work, opening)), "POST"),
        "best": (lines(finding.best), "POST"),
        "line": (lines(finding.line), "POST"),
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
        await asyncio.wait([making], timeout=LOOKS_EVERY_SECONDS)
        if await request.is_disconnected():
            making.cancel()
            raise GivenUp("nobody waits for this page")
    return await making
