"""``vestigo confirm``: a running cache's counters beside what was predicted, once or as long as it runs."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from vestigo.explaining.confirm.expected import Expected
    from vestigo.rules import Plan

KEPT = Path("counters.prom")
"""Where scrapes are kept unless the user says otherwise."""


@asks(*SETTINGS, ..., "as_json")
def confirm(
    call: Call,
    *,
    counters: Annotated[
        list[Path] | None,
        typer.Option(
            "--counters",
            metavar="FILE",
            help="Scrapes of the running service: Prometheus or OpenMetrics text, CSV or JSON, or a folder of them. "
            "Two at least. Can be repeated. With --scrape: the file (.prom) to which they are added.",
            show_default=False,
        ),
    ] = None,
    scrape: Annotated[
        str | None,
        typer.Option(
            "--scrape",
            metavar="URL",
            help="Watch a running service: fetch its counters from here, again and again.",
            show_default=False,
        ),
    ] = None,
    every: Annotated[
        str, typer.Option("--every", metavar="DURATION", help="How often they are fetched with --scrape.")
    ] = "1m",
    for_: Annotated[
        str | None,
        typer.Option(
            "--for", metavar="DURATION", help="How long to watch. Otherwise until Ctrl-C.", show_default=False
        ),
    ] = None,
    until_off: Annotated[
        bool, typer.Option("--until-off", help="End with status 1 when the cache leaves the prediction.")
    ] = False,
    expected: Annotated[
        Path | None,
        typer.Option(
            "--expected",
            metavar="FILE",
            help="Write the hit rates that are normal at each hour of the day (.csv, .json).",
            show_default=False,
        ),
    ] = None,
    nodes: Annotated[
        list[str] | None,
        typer.Option(
            "--nodes",
            metavar="NAME",
            help="The counters are those of this node; compare with its reads alone. Can be repeated.",
            show_default=False,
        ),
    ] = None,
    tolerate: Annotated[
        str, typer.Option("--tolerate", metavar="SHARE", help="How far a rate may be off and still count as predicted.")
    ] = "1%",
) -> None:
    """Compare the counters of a running cache with what the plan predicts on a trace of the same time.

    It says whether the running cache matches the prediction. If not, replays look for what would explain it. The plan's
    [counters] says which counter is which. With `--scrape` it watches a service, and says when its hit rates leave what
    is normal at this hour of the day, and when they are back.

    Example: vestigo confirm week.arrow --plan plan.toml --counters scrapes/

    Example: vestigo confirm week.arrow --plan plan.toml --scrape http://127.0.0.1:9000/metrics --every 1m
    """
    from vestigo.cli.screen import Progress, note
    from vestigo.errors import InputError
    from vestigo.explaining.confirm.compare import confirm as confirm_of
    from vestigo.explaining.confirm.counters import read_counters
    from vestigo.explaining.confirm.expected import expected as expected_of
    from vestigo.show.confirmation import confirmation_text

    if not counters and scrape is None and expected is None:
        raise InputError("no counters: name scrapes of the running service, such as --counters scrapes/")
    plan = call.settings
    with Progress() as progress:
        known = read_counters(counters, plan.counters) if counters and scrape is None else None
        trace = call.read(progress)
        normal = None
        if scrape is not None or expected is not None:
            normal = expected_of(trace, plan, tolerate=tolerate, nodes=nodes)
        if normal is not None and expected is not None:
            normal.write(expected)
            note(f"{expected}: what is normal at each hour of the day (UTC)")
        if known is not None:
            found = confirm_of(trace, plan, known, tolerate=tolerate, nodes=nodes, progress=progress.count)
    if known is not None:
        call.answer(found, confirmation_text)
        if not found.is_as_predicted:
            raise typer.Exit(1)
    if scrape is not None and normal is not None:
        _watch(call, normal, plan, scrape, counters or [KEPT], (every, for_), until_off)


def _watch(
    call: Call,
    normal: "Expected",
    plan: "Plan",
    url: str,
    kept: Sequence[Path],
    times: tuple[str, str | None],
    until_off: bool,
) -> None:
    from vestigo.arguments import argument
    from vestigo.cli.screen import note, show_line
    from vestigo.errors import InputError
    from vestigo.explaining.confirm.fetching import Fetching
    from vestigo.explaining.confirm.live import Live
    from vestigo.explaining.confirm.watch import Watch
    from vestigo.show.confirmation import turn_line
    from vestigo.units import Duration

    if len(kept) > 1:
        raise InputError("--counters: with --scrape, name one file, to which the scrapes are added")
    every = argument("--every", Duration.parse, times[0])
    length = None if times[1] is None else argument("--for", Duration.parse, times[1])
    if every <= 0:
        raise InputError("--every: must be longer than 0s; write, for example, 1m")
    live = Live(Fetching(url, plan.counters, kept[0]), Watch(normal), int(every), note)
    note(f"watching {url} each {every}; scrapes are added to {kept[0]}; Ctrl-C ends it")
    try:
        for turn in live.turns(None if length is None else int(length)):
            show_line(turn._asdict() if call.as_json else turn_line(turn))
            if until_off and turn.is_off:
                raise typer.Exit(1)
    except KeyboardInterrupt:
        pass
    finally:
        note(live.in_words)


VERB = Verb(
    13,
    "A running cache's counters beside the prediction.",
    confirm,
    "0 done, the running cache matches the prediction, or Ctrl-C ended the watch, 1 it does not, or not known, "
    "2 wrong input, 130 interrupted",
)
