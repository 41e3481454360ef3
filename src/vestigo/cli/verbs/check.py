"""``vestigo check``: what each rule earns, and likely mistakes."""

from typing import Annotated

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks, share
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, *RESULTS, ..., "write", "as_json")
def check(
    call: Call,
    tolerate: Annotated[
        str,
        typer.Option(
            "--tolerate", metavar="SHARE", help="Exit with status 1 if a mistake costs more than this share of the aim."
        ),
    ] = "1%",
) -> None:
    """Try today's settings without each rule, with half and double of each amount, and look for likely mistakes.

    Each mistake comes with evidence from the trace, what it costs by replay, and the lines of the plan that fix it.

    Example: vestigo check skerrow-quay.parquet --plan plan.toml

    Example: vestigo check week.arrow --plan plan.toml --tolerate 0.5% --write fixed.toml
    """
    from vestigo.cli.screen import Progress
    from vestigo.explaining.check.trials import check as check_of
    from vestigo.show.check import check_text

    most = share("--tolerate", tolerate)
    plan = call.settings
    with Progress() as progress:
        trace = call.read(progress)
        found = check_of(trace, plan, results=call.kept_in, progress=progress.count)
    call.write_plan(found.fixed, "the fixed settings")
    call.answer(found, check_text)
    if most is not None and found.most_costly > most:
        raise typer.Exit(1)


VERB = Verb(
    8,
    "What each rule earns; likely mistakes.",
    check,
    "0 done, 1 a mistake costs more than --tolerate, 2 wrong input, 130 interrupted",
)
