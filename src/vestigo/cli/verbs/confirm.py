"""``vestigo confirm``: a running cache's counters beside what was predicted."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.options import IntakeOption, JsonOption, PlanOption, RulesOption, StrictOption, TraceArgument
from vestigo.cli.verbs import Verb


def confirm(
    trace: TraceArgument = None,
    counters: Annotated[
        list[Path] | None,
        typer.Option(
            "--counters",
            metavar="FILE",
            help="Scrapes of the running service: Prometheus or OpenMetrics text, CSV or JSON, or a folder of them. "
            "Two at least. Can be repeated.",
        ),
    ] = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    tolerate: Annotated[
        str, typer.Option("--tolerate", metavar="SHARE", help="How far a rate may be off and still count as predicted.")
    ] = "1%",
    as_json: JsonOption = False,
) -> None:
    """Compare the counters of a running cache with what the plan predicts on a trace of the same time.

    It says whether the running cache matches the prediction. If not, replays look for what would explain it. The plan's
    [counters] says which counter is which.

    Example: vestigo confirm week.arrow --plan plan.toml --counters scrapes/

    Example: vestigo confirm day.arrow --rules max_entries=500 --counters 08h.prom --counters 20h.prom
    """
    from vestigo.cli.asked import intake_options, plan_for, read
    from vestigo.cli.screen import Progress, show, show_json
    from vestigo.errors import InputError
    from vestigo.explaining.confirm.compare import confirm as confirm_of
    from vestigo.explaining.confirm.counters import read_counters
    from vestigo.rules import Plan
    from vestigo.show.confirmation import confirmation_text

    if not counters:
        raise InputError("no counters: name scrapes of the running service, such as --counters scrapes/")
    stated = plan_for(plan, rules, is_needed=True) or Plan()
    with Progress() as progress:
        known = read_counters(counters, stated.counters)
        read_in = read(trace, stated, intake_options(intake, strict), progress)
        found = confirm_of(read_in, stated, known, tolerate=tolerate, progress=progress.count)
    if as_json:
        show_json(found.to_dict())
    else:
        show(confirmation_text(found))
    if not found.is_as_predicted:
        raise typer.Exit(1)


VERB = Verb(
    13,
    "A running cache's counters beside the prediction.",
    confirm,
    "0 done, the running cache matches the prediction, 1 it does not, or not known, 2 wrong input, 130 interrupted",
)
