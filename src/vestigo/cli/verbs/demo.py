"""``vestigo demo``: the whole way on the demo data, from a trace to settings and a page for colleagues."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.options import JsonOption
from vestigo.cli.verbs import Verb


def demo(
    folder: Annotated[Path, typer.Argument(help="The folder to write to. It is created if it does not exist.")] = Path(
        "vestigo-demo"
    ),
    as_json: JsonOption = False,
) -> None:
    """Write the demo data, two days at Skerrow Quay, and go the whole way: survey, replay, sweep, choose, report.

    Example: vestigo demo
    """
    from vestigo.choosing.compare import compare
    from vestigo.cli.screen import Progress, show, show_json
    from vestigo.cli.swept import Asked, swept, write_plan
    from vestigo.demo.files import ODD_KEYS, write_demo
    from vestigo.describing.survey import survey
    from vestigo.explaining.report import report as report_of
    from vestigo.rules import read_plan
    from vestigo.show.safe import printable
    from vestigo.show.study import pick_text
    from vestigo.show.survey import verdicts_text
    from vestigo.show.tables import comparison_text
    from vestigo.trace import read_trace

    def say(text: object) -> None:
        if not as_json:
            show(text)  # type: ignore[arg-type]

    trace_path, plan_path = write_demo(folder)
    trace, plan = read_trace(trace_path), read_plan(plan_path)
    with Progress() as progress:
        progress.step(f"counting {len(trace):,} events")
        surveyed = survey(trace)
    say("1. What is worth keeping\n")
    say(verdicts_text(surveyed))
    say("\n2. What today's settings give, and others\n")
    with Progress() as progress:
        comparison = compare(trace, plan, progress=progress.count)
    say(comparison_text(comparison))
    say("\n3. Which settings to take\n")
    asked = Asked(trace=None, plan_path=plan_path, plan=plan, intake={}, rest="40%", yes=True)
    found, _ = swept(asked)
    pick = found.choose()
    say(pick_text(pick))
    picked, page = folder / "picked.toml", folder / "report.html"
    write_plan(pick.candidate.plan, asked, picked)
    with Progress() as progress:
        asked_again = ["--plan", str(plan_path)]
        report = report_of(trace, plan, found=found, results=asked.kept_in, asked=asked_again, progress=progress.count)
        progress.step("writing the page")
        report.write(page)
    files = {"trace": trace_path, "plan": plan_path, "odd": folder / ODD_KEYS, "picked": picked, "report": page}
    shown = {name: printable(str(path), most=1000) for name, path in files.items()}
    if as_json:
        return show_json({**{name: str(path) for name, path in files.items()}, "pick": pick.to_dict()})
    return show(
        f"\nThe picked settings:    {shown['picked']}\n"
        f"All of it on one page:  {shown['report']}\n"
        f"All of the survey:      vestigo survey {shown['trace']}\n"
        f"Mistakes in keys:       vestigo survey {shown['odd']}\n"
        f"Why a number is so:     vestigo why --plan {shown['plan']}\n"
        f"What is likely wrong:   vestigo check --plan {shown['plan']}\n"
        f"Change the plan, then:  vestigo choose --plan {shown['plan']}"
    )


VERB = Verb(1, "Write the demo data, and go the whole way on it.", demo)
