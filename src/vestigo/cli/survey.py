"""``vestigo survey``: what is in a trace, and which look-ups are worth a cache."""

import json
from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.intake import PlanOption, SetOption, StrictOption, TraceArgument


def survey(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    settings: SetOption = None,
    strict: StrictOption = False,
    figure: Annotated[
        Path | None, typer.Option(help="Also draw a page of figures; the ending says the format.", show_default=False)
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all numbers as JSON.")] = False,
) -> None:
    """Show what repeats, costs, changes and finds nothing, look-up by look-up, with a verdict on each.

    Example: vestigo survey vestigo-demo/skerrow-quay.parquet
    """
    from vestigo.cli.intake import parsed, read
    from vestigo.cli.screen import Progress, note, show
    from vestigo.rules import read_plan
    from vestigo.study import survey as survey_of

    with Progress() as progress:
        read_in = read(trace, read_plan(plan) if plan else None, parsed(settings, strict), progress)
        progress.step(f"counting {len(read_in):,} events")
        found = survey_of(read_in)
    if figure is not None:
        from vestigo.show.figures import survey_page
        from vestigo.show.files import save_figure

        save_figure(survey_page(found)[0], figure)
        note(f"{figure}: a page of figures")
    if as_json:
        print(json.dumps(found.to_dict(), indent=2))
        return
    from vestigo.show.survey import survey_text

    show(survey_text(found))
