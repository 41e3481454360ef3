"""``vestigo demo``: the whole way on the demo data, from a trace to settings and a page for colleagues."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import Call, asks
from vestigo.cli.verbs import Verb


@asks(..., "as_json")
def demo(
    call: Call,
    folder: Annotated[Path, typer.Argument(help="The folder to write to. It is created if it does not exist.")] = Path(
        "vestigo-demo"
    ),
) -> None:
    """Write the demo data, two days at Skerrow Quay, and go the whole way: survey, replay, choose, report.

    Example: vestigo demo
    """
    from vestigo.choosing.compare import compare
    from vestigo.cli.found import swept
    from vestigo.cli.screen import Progress, show
    from vestigo.demo.files import ODD_KEYS, write_demo
    from vestigo.describing.survey import survey
    from vestigo.explaining.report import report as report_of
    from vestigo.rules import read_plan
    from vestigo.show.pick import pick_text
    from vestigo.show.safe import printable
    from vestigo.show.survey import verdicts_text
    from vestigo.show.tables import comparison_text
    from vestigo.trace import read_trace

    def say(text: object) -> None:
        if not call.as_json:
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
    picked, page = folder / "picked.toml", folder / "report.html"
    choosing = Call(plan_path=plan_path, yes=True, write=picked)
    candidates, _ = swept(choosing)
    pick = candidates.choose()
    say(pick_text(pick))
    choosing.write_plan(pick.candidate.plan, trace.lookups)
    with Progress() as progress:
        kept_in, words = choosing.kept_in, choosing.words
        report = report_of(trace, plan, found=candidates, results=kept_in, asked=words, progress=progress.count)
        progress.step("writing the page")
        report.write(page)
    files = {"trace": trace_path, "plan": plan_path, "odd": folder / ODD_KEYS, "picked": picked, "report": page}
    shown = {name: printable(str(path), most=1000) for name, path in files.items()}
    call.answer(
        {**{name: str(path) for name, path in files.items()}, "pick": pick.to_dict()},
        lambda _: (
            f"\nThe picked settings:    {shown['picked']}\n"
            f"All of it on one page:  {shown['report']}\n"
            f"All of the survey:      vestigo survey {shown['trace']}\n"
            f"Mistakes in keys:       vestigo survey {shown['odd']}\n"
            f"Why a number is so:     vestigo why --plan {shown['plan']}\n"
            f"What is likely wrong:   vestigo check --plan {shown['plan']}\n"
            f"How a bad day goes:     vestigo rehearse --plan {shown['plan']}\n"
            f"Change the plan, then:  vestigo choose --plan {shown['plan']}"
        ),
    )


VERB = Verb(1, "Write the demo data, and go the whole way on it.", demo)
