"""``vestigo demo``: the whole way on the demo data, from a trace to settings, with pictures."""

from pathlib import Path
from typing import Annotated

import typer


def demo(
    folder: Annotated[Path, typer.Argument(help="Where to write; made if it is not there.")] = Path("vestigo-demo"),
) -> None:
    """Write the demo data, two days at Skerrow Quay, and go the whole way: survey, replay, sweep, choose, pictures.

    Example: vestigo demo
    """
    from vestigo.cli.replay import compare_files
    from vestigo.cli.screen import Progress, show
    from vestigo.cli.sweep import swept, write_plan
    from vestigo.demo.files import ODD_KEYS, write_demo
    from vestigo.rules import read_plan
    from vestigo.show import figures
    from vestigo.show.files import save_figure
    from vestigo.show.safe import printable
    from vestigo.show.study import pick_text
    from vestigo.show.survey import verdicts_text
    from vestigo.show.tables import comparison_text
    from vestigo.study import size_curve, survey
    from vestigo.trace import read_trace

    trace_path, plan_path = write_demo(folder)
    trace, plan = read_trace(trace_path), read_plan(plan_path)
    with Progress() as progress:
        progress.step(f"counting {len(trace):,} events")
        surveyed = survey(trace)
    show("1. What is worth keeping\n")
    show(verdicts_text(surveyed))
    show("\n2. What today's settings give, and others\n")
    comparison = compare_files(str(trace_path), plan_path, {})
    show(comparison_text(comparison))
    show("\n3. Which settings to take\n")
    found, _ = swept(str(trace_path), plan_path, None, yes=True)
    pick = found.choose()
    show(pick_text(pick))
    picked, pictures = folder / "picked.toml", [folder / f"{name}.png" for name in ("survey", "today", "choice")]
    write_plan(pick, picked)
    curves = [size_curve(trace, plan, lookup=name) for name in trace.lookups]
    today = comparison[comparison.settings[0]]
    pages = (figures.survey_page(surveyed), figures.timeline(today), figures.choice_page(found, pick, curves, today))
    for page, path in zip(pages, pictures, strict=True):
        save_figure(page[0], path)
    shown = {
        name: printable(str(path), most=1000)
        for name, path in {"trace": trace_path, "plan": plan_path, "odd": folder / ODD_KEYS, "picked": picked}.items()
    }
    show(
        f"\nThe picked settings:    {shown['picked']}\n"
        f"Pictures:               {', '.join(printable(str(path), most=1000) for path in pictures)}\n"
        f"All of the survey:      vestigo survey {shown['trace']}\n"
        f"Mistakes in keys:       vestigo survey {shown['odd']}\n"
        f"Change the plan, then:  vestigo choose --plan {shown['plan']}"
    )
