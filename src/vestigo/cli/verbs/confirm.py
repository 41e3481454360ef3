"""``vestigo confirm``: a running cache's counters beside what was predicted."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, ..., "as_json")
def confirm(
    call: Call,
    counters: Annotated[
        list[Path] | None,
        typer.Option(
            "--counters",
            metavar="FILE",
            help="Scrapes of the running service: Prometheus or OpenMetrics text, CSV or JSON, or a folder of them. "
            "Two at least. Can be repeated.",
        ),
    ] = None,
    tolerate: Annotated[
        str, typer.Option("--tolerate", metavar="SHARE", help="How far a rate may be off and still count as predicted.")
    ] = "1%",
) -> None:
    """Compare the counters of a running cache with what the plan predicts on a trace of the same time.

    It says whether the running cache matches the prediction. If not, replays look for what would explain it. The plan's
    [counters] says which counter is which.

    Example: vestigo confirm week.arrow --plan plan.toml --counters scrapes/

    Example: vestigo confirm day.arrow --rules max_entries=500 --counters 08h.prom --counters 20h.prom
    """
    from vestigo.cli.screen import Progress
    from vestigo.errors import InputError
    from vestigo.explaining.confirm.compare import confirm as confirm_of
    from vestigo.explaining.confirm.counters import read_counters
    from vestigo.show.confirmation import confirmation_text

    if not counters:
        raise InputError("no counters: name scrapes of the running service, such as --counters scrapes/")
    plan = call.settings
    with Progress() as progress:
        known = read_counters(counters, plan.counters)
        trace = call.read(progress)
        found = confirm_of(trace, plan, known, tolerate=tolerate, progress=progress.count)
    call.answer(found, confirmation_text)
    if not found.is_as_predicted:
        raise typer.Exit(1)


VERB = Verb(
    13,
    "A running cache's counters beside the prediction.",
    confirm,
    "0 done, the running cache matches the prediction, 1 it does not, or not known, 2 wrong input, 130 interrupted",
)
