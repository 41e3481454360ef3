"""``vestigo check``: what each rule earns, and likely mistakes."""

from typing import Annotated

import typer

from vestigo.cli.options import (
    IntakeOption,
    JsonOption,
    NoResultsOption,
    PlanOption,
    ResultsOption,
    RulesOption,
    StrictOption,
    TraceArgument,
    WriteOption,
)
from vestigo.cli.verbs import Verb


def check(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    results: ResultsOption = None,
    no_results: NoResultsOption = False,
    tolerate: Annotated[
        str,
        typer.Option(
            "--tolerate", metavar="SHARE", help="Exit with status 1 if a mistake costs more than this share of the aim."
        ),
    ] = "1%",
    write: WriteOption = None,
    as_json: JsonOption = False,
) -> None:
    """Try today's settings without each rule, with half and double of each amount, and look for likely mistakes.

    Each mistake comes with evidence from the trace, what it costs by replay, and the lines of the plan that fix it.

    Example: vestigo check skerrow-quay.parquet --plan plan.toml

    Example: vestigo check week.arrow --plan plan.toml --tolerate 0.5% --write fixed.toml
    """
    from vestigo.arguments import argument
    from vestigo.cli.asked import intake_options, plan_for, read
    from vestigo.cli.screen import Progress, note, show, show_json
    from vestigo.cli.swept import Asked, write_plan
    from vestigo.explaining.check.trials import check as check_of
    from vestigo.rules import Plan
    from vestigo.show.check import check_text
    from vestigo.units import parse_share

    share = float(argument("--tolerate", parse_share, tolerate))
    stated = plan_for(plan, rules, is_needed=True) or Plan()
    options = intake_options(intake, strict)
    asked = Asked(trace=trace, plan_path=plan, plan=stated, intake=options, results=results, no_results=no_results)
    with Progress() as progress:
        read_in = read(trace, stated, options, progress)
        found = check_of(read_in, stated, results=asked.kept_in, progress=progress.count)
    if write is not None:
        write_plan(found.fixed, asked, write)
        note(f"{write}: the fixed settings")
    if as_json:
        show_json(found.to_dict())
    else:
        show(check_text(found))
    if found.most_costly > share:
        raise typer.Exit(1)


VERB = Verb(
    8,
    "What each rule earns; likely mistakes.",
    check,
    "0 done, 1 a mistake costs more than --tolerate, 2 wrong input, 130 interrupted",
)
