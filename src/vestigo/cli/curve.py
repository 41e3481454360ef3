"""``vestigo curve``: the hit rate at every size."""

import json
from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.intake import PlanOption, SetOption, StrictOption, TraceArgument


def curve(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    lookup: Annotated[str | None, typer.Option(help="Of this look-up alone.", show_default=False)] = None,
    settings: SetOption = None,
    strict: StrictOption = False,
    share: Annotated[
        str, typer.Option(metavar="SHARE", help="Also the least size that has so much of what no limit gives.")
    ] = "95%",
    figure: Annotated[
        Path | None, typer.Option(help="Also draw the curves; the ending says the format.", show_default=False)
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print every step of the curves as JSON.")] = False,
) -> None:
    """Show how many reads LRU would answer at every size, how little room is enough, and today's limit.

    Exact, in one pass: nothing expires, all that is loaded is kept, loads take no time.

    Example: vestigo curve skerrow-quay.parquet --plan plan.toml --figure curves.png
    """
    from vestigo.cli.intake import parsed, read
    from vestigo.cli.screen import Progress, note, show
    from vestigo.errors import InputError
    from vestigo.rules import read_plan
    from vestigo.study import size_curve, with_real_rates
    from vestigo.units import parse_share

    stated = read_plan(plan) if plan else None
    try:
        enough = float(parse_share(share))
    except ValueError as error:
        raise InputError(f"--share: {error}") from None
    with Progress() as progress:
        read_in = read(trace, stated, parsed(settings, strict), progress)
        curves = []
        for name in [lookup] if lookup is not None else read_in.lookups:
            progress.step(f"all sizes of {name}")
            curves.append(size_curve(read_in, stated, lookup=name, share=enough))
        if stated is not None:
            progress.step("replaying today's settings")
            curves = with_real_rates(read_in, stated, curves)
    if figure is not None:
        from vestigo.show.figures import size_curves
        from vestigo.show.files import save_figure

        save_figure(size_curves(curves), figure)
        note(f"{figure}: the curves")
    if as_json:
        print(json.dumps([one.to_dict() for one in curves], indent=2))
        return
    from vestigo.show.study import curves_text

    show(curves_text(curves))
