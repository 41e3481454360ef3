"""``vestigo curve``: the hit rate at every size."""

from typing import Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, "lookup", ..., "figure", "as_json")
def curve(
    call: Call,
    enough: Annotated[
        str,
        typer.Option(
            metavar="SHARE", help="Show the smallest size that gives this share of the hits that no limit gives."
        ),
    ] = "95%",
) -> None:
    """Show how many reads LRU would answer at every size, how little room is enough, and today's limit.

    The curve is exact if nothing expires, everything loaded is kept, and loads take no time.

    Example: vestigo curve skerrow-quay.parquet --plan plan.toml --figure curves.png
    """
    from vestigo.cli.screen import Progress, note, save, show, show_json
    from vestigo.engine.size_curve import size_curve, with_real_rates
    from vestigo.show.study import curves_text

    with Progress() as progress:
        trace = call.read(progress)
        curves = []
        for name in call.lookup or trace.lookups:
            progress.step(f"all sizes of {name}")
            curves.append(size_curve(trace, call.plan, lookup=name, enough=enough))
        if call.plan is not None:
            progress.step("replaying today's settings")
            curves = with_real_rates(trace, call.plan, curves)
    if call.figure is not None and curves:
        from vestigo.show.figures import size_curves

        save(size_curves(curves), call.figure, "the curves")
    elif call.figure is not None:
        note(f"{call.figure}: not drawn, because there is no curve")
    if call.as_json:
        show_json([one.to_dict() for one in curves])
    else:
        show(curves_text(curves))


VERB = Verb(4, "The hit rate at every size, exact.", curve)
