"""``vestigo report``: everything of the work on one page, for colleagues."""

from pathlib import Path
from typing import Annotated

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks
from vestigo.cli.verbs import Verb


@asks(*SETTINGS, "sample", "rest", "seed", *RESULTS, "yes", "before", ..., "as_json")
def report(
    call: Call,
    page: Annotated[Path, typer.Option("--write", metavar="FILE", help="Write the page to this file.")] = Path(
        "report.html"
    ),
) -> None:
    """Write one HTML page that needs no network: which settings to take and why, for colleagues who have no Python.

    Example: vestigo report skerrow-quay.parquet --plan plan.toml --write report.html
    """
    from vestigo.cli.found import swept
    from vestigo.cli.screen import Progress, note
    from vestigo.explaining.report import report as report_of
    from vestigo.show.safe import printable

    candidates, trace = swept(call)
    with Progress() as progress:
        made = report_of(
            trace,
            call.settings,
            found=candidates,
            results=call.kept_in,
            seed=call.seed,
            before=call.earlier(call.before, progress) if call.before is not None else None,
            asked=call.words,
            progress=progress.count,
        )
        progress.step("writing the page")
        made.write(page)
    call.answer(made, lambda made: printable(made.pick.because[0], most=2000), candidates.notes)
    note(f"{page}: {page.stat().st_size / 1e6:.1f} MB, for any browser")


VERB = Verb(10, "One HTML page for colleagues.", report)
