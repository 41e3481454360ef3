"""``vestigo check``: what each rule earns, and likely mistakes; or what is different from an earlier recording."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks, share
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, *RESULTS, "before", ..., "write", "template", "figure", "as_json")
def check(
    call: Call,
    tolerate: Annotated[
        str,
        typer.Option(
            "--tolerate",
            metavar="SHARE",
            help="Exit with status 1 if a mistake costs more than this share of the aim, or if the settings are "
            "farther behind the best.",
        ),
    ] = "1%",
) -> None:
    """Try today's settings without each rule, with half and double of each amount, and look for likely mistakes.

    Each mistake comes with evidence from the trace, what it costs by replay, and the lines of the plan that fix it.
    With `--before`, two recordings are compared instead: what is different, what each difference does to what the
    settings give, and what the best settings would be now.

    Example: vestigo check skerrow-quay.parquet --plan plan.toml

    Example: vestigo check week.arrow --plan plan.toml --tolerate 0.5% --write fixed.toml

    Example: vestigo check sunday.parquet --before monday.parquet --plan plan.toml --write new.toml
    """
    from vestigo.errors import InputError

    most = share("--tolerate", tolerate)
    assert most is not None
    if call.before is None and call.figure is not None:
        raise InputError("--figure: a check draws none; name an earlier recording with --before FILE")
    if call.before is None:
        _check(call, most)
    else:
        _compare(call, call.before, most)


def _compare(call: Call, before: Path, most: float) -> None:
    """What is different between two recordings."""
    from vestigo.cli.screen import Progress, save
    from vestigo.explaining.drift.run import drift
    from vestigo.show.drifted import drift_text

    plan = call.settings
    with Progress() as progress:
        after = call.read(progress)
        earlier = call.earlier(before, progress)
        found = drift(earlier, after, plan, results=call.kept_in, progress=progress.count)
    call.write_plan(found.pick.plan, after.lookups, f"the best settings for {found.after}")
    call.answer(found, drift_text)
    if call.figure is not None:
        from vestigo.show import figures

        save(figures.drift(found), call.figure, "what is different")
    if not found.is_good(most):
        raise typer.Exit(1)


def _check(call: Call, most: float) -> None:
    """What each rule earns."""
    from vestigo.cli.screen import Progress
    from vestigo.explaining.check.trials import check as check_of
    from vestigo.show.check import check_text

    plan = call.settings
    with Progress() as progress:
        trace = call.read(progress)
        found = check_of(trace, plan, results=call.kept_in, progress=progress.count)
    call.write_plan(found.fixed, trace.lookups, "the fixed settings")
    call.answer(found, check_text)
    if found.most_costly > most:
        raise typer.Exit(1)


VERB = Verb(
    8,
    "What each rule earns; likely mistakes; what is different since.",
    check,
    "0 done, 1 a mistake costs more than --tolerate, or the settings are farther behind the best, 2 wrong input, "
    "130 interrupted",
)
