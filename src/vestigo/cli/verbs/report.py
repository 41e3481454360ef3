"""``vestigo report``: everything of the work on one page, for colleagues."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.options import (
    IntakeOption,
    JsonOption,
    NoResultsOption,
    PlanOption,
    RestOption,
    ResultsOption,
    RulesOption,
    SampleOption,
    SeedOption,
    StrictOption,
    TraceArgument,
    YesOption,
)
from vestigo.cli.verbs import Verb


def report(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    sample: SampleOption = None,
    rest: RestOption = "40%",
    seed: SeedOption = 0,
    results: ResultsOption = None,
    no_results: NoResultsOption = False,
    yes: YesOption = False,
    write: Annotated[Path, typer.Option("--write", metavar="FILE", help="Write the page to this file.")] = Path(
        "report.html"
    ),
    as_json: JsonOption = False,
) -> None:
    """Write one HTML page that needs no network: which settings to take and why, for colleagues who have no Python.

    Example: vestigo report skerrow-quay.parquet --plan plan.toml --write report.html
    """
    from vestigo.cli.asked import intake_options, plan_for, words_for
    from vestigo.cli.screen import Progress, note, show, show_json
    from vestigo.cli.swept import Asked, swept
    from vestigo.explaining.report import report as report_of
    from vestigo.rules import Plan
    from vestigo.show.safe import printable

    asked = Asked(
        trace=trace,
        plan_path=plan,
        plan=plan_for(plan, rules, is_needed=True) or Plan(),
        intake=intake_options(intake, strict),
        rest=rest,
        results=results,
        no_results=no_results,
        yes=yes,
        sample=sample,
        seed=seed,
    )
    found, of = swept(asked)
    with Progress() as progress:
        made = report_of(
            of,
            asked.plan,
            found=found,
            results=asked.kept_in,
            seed=seed,
            asked=words_for(trace, plan, rules, intake, strict),
            progress=progress.count,
        )
        progress.step("writing the page")
        made.write(write)
    if as_json:
        show_json(made.to_dict(), found.notes)
    else:
        show(printable(made.pick.because[0], most=2000))
    note(f"{write}: {write.stat().st_size / 1e6:.1f} MB, for any browser")


VERB = Verb(9, "One HTML page for colleagues.", report)
