"""``vestigo curve``: the hit rate at every size."""

from typing import Annotated

import typer

from vestigo.cli.options import (
    FigureOption,
    IntakeOption,
    JsonOption,
    LookupOption,
    PlanOption,
    RulesOption,
    StrictOption,
    TraceArgument,
)
from vestigo.cli.verbs import Verb


def curve(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    lookup: LookupOption = None,
    enough: Annotated[
        str,
        typer.Option(
            metavar="SHARE", help="Show the smallest size that gives this share of the hits that no limit gives."
        ),
    ] = "95%",
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Show how many reads LRU would answer at every size, how little room is enough, and today's limit.

    The curve is exact if nothing expires, everything loaded is kept, and loads take no time.

    Example: vestigo curve skerrow-quay.parquet --plan plan.toml --figure curves.png
    """
    from vestigo.cli.asked import check_lookups, intake_options, plan_for, read
    from vestigo.cli.screen import Progress, note, save, show, show_json
    from vestigo.engine.size_curve import size_curve, with_real_rates

    stated = plan_for(plan, rules)
    with Progress() as progress:
        read_in = read(trace, stated, intake_options(intake, strict), progress)
        check_lookups(lookup, read_in)
        curves = []
        for name in lookup or read_in.lookups:
            progress.step(f"all sizes of {name}")
            curves.append(size_curve(read_in, stated, lookup=name, enough=enough))
        if stated is not None:
            progress.step("replaying today's settings")
            curves = with_real_rates(read_in, stated, curves)
    if figure is not None and curves:
        from vestigo.show.figures import size_curves

        save(size_curves(curves), figure, "the curves")
    elif figure is not None:
        note(f"{figure}: not drawn, because there is no curve")
    if as_json:
        return show_json([one.to_dict() for one in curves])
    from vestigo.show.study import curves_text

    return show(curves_text(curves))


VERB = Verb(4, "The hit rate at every size, exact.", curve)
