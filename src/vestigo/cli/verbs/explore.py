"""``vestigo explore``: a page on which rules are turned by hand, and their numbers follow."""

import gc
import sys
from typing import Annotated

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks
from vestigo.cli.stopping import end_within
from vestigo.cli.verbs import Verb

_SECONDS_TO_END = 1.0


@asks(*SETTINGS, *RESULTS, ...)
def explore(
    call: Call,
    address: Annotated[
        str,
        typer.Option("--address", metavar="HOST:PORT", help="The page's address. Port 0 means any free port."),
    ] = "127.0.0.1:0",
    as_json: Annotated[bool, typer.Option("--json", help="Print the address as JSON.")] = False,
) -> None:
    """Open a page on which each rule is a knob: turn it, and hit rate, staleness, memory and all else follow.

    Only this machine can open the page, and only with its address. Ctrl-C ends it.

    Example: vestigo explore skerrow-quay.parquet --plan plan.toml
    """
    import secrets

    from vestigo.cli.screen import Progress, note, show, show_json
    from vestigo.errors import InputError
    from vestigo.rules import Plan
    from vestigo.units import counted

    try:
        from vestigo.web.explore.pages import page
        from vestigo.web.explore.work import Work
        from vestigo.web.serving import Address, serve
    except ModuleNotFoundError as error:
        raise InputError(
            f"explore needs the package {error.name}; install it: pip install 'vestigo-replay[explore]'"
        ) from None
    from vestigo.choosing.explorer import Explorer

    where = Address.parse(address)
    if not where.is_loopback:
        raise InputError(f"--address {address}: others would reach it there; write 127.0.0.1:{where.port}")
    plan = call.plan or Plan()
    listening = where.bind()
    with Progress() as progress:
        trace = call.read(progress)
        explorer = Explorer(trace, plan, results=call.kept_in, progress=progress.count)
        progress.step("making the page")
        where = Address.of(listening)
        token = secrets.token_urlsafe(16)
        work = Work()
        app = page(explorer, token, (str(where), f"localhost:{where.port}"), work)
    known = len(explorer.known)
    found_at = f"http://{where}/{token}/"
    if as_json:
        show_json({"address": found_at, "known": known})
    else:
        show(f"{found_at}\n")
        note(f"{counted(known, 'other candidate')} known; open the address in a browser; Ctrl-C ends it")
    sys.stdout.flush()
    gc.freeze()  # all of this stays, so the garbage collector need not visit it during a replay or at the end

    def ending() -> None:
        end_within(_SECONDS_TO_END, 0)  # a step of a long replay may still be at work
        work.give_up()

    serve(app, listening, ending=ending)


VERB = Verb(11, "A page with a knob for each rule.", explore, "0 done, also when Ctrl-C ends it, 2 wrong input")
