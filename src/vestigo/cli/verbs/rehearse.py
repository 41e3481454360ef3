"""``vestigo rehearse``: how bad days go."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from vestigo.cli.call import SETTINGS, Call, asks
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from vestigo.rules import Plan


@asks(*SETTINGS, ..., "figure", "as_json")
def rehearse(
    call: Call,
    moment: Annotated[
        list[str] | None,
        typer.Option(
            "--moment",
            metavar="NAME",
            help="Only this moment: node, restart, clear, outage, slow or readers. Repeat it for more.",
            show_default=False,
        ),
    ] = None,
    beside: Annotated[
        list[Path] | None,
        typer.Option(
            "--beside",
            metavar="FILE",
            help="Also with the settings of this plan file, such as the pick. Can be repeated.",
            show_default=False,
        ),
    ] = None,
    at: Annotated[
        str | None,
        typer.Option(
            "--at",
            metavar="TIME",
            help="When it happens, such as 2026-03-17T09:00:00Z, or 8h after the first event. Otherwise in the busiest "
            "minute.",
            show_default=False,
        ),
    ] = None,
    slow: Annotated[
        str | None,
        typer.Option(
            "--slow", metavar="DURATION", help="Reads that take longer are counted as slow.", show_default=False
        ),
    ] = None,
) -> None:
    """Replay bad moments at the worst time of the recording: restarts, a clear, an origin that is away or slow, twice
    the readers.

    It says how many reads fail or are slow, how long it takes until readers are as well off as without the moment, with
    today's settings and each candidate or plan beside them, and what would help. `at_once` in the plan's [origin] says
    how many calls the origin serves at a time.

    Example: vestigo rehearse skerrow-quay.parquet --plan plan.toml --beside picked.toml --slow 1s

    Example: vestigo rehearse week.arrow --plan plan.toml --moment restart --at 2026-03-17T09:00:00Z
    """
    from vestigo.cli.screen import Progress, save
    from vestigo.explaining.rehearse.run import rehearse as rehearse_of
    from vestigo.show.rehearsed import rehearsal_text

    plan = call.settings.beside(_named_by_file(beside or ()))
    with Progress() as progress:
        trace = call.read(progress)
        found = rehearse_of(trace, plan, moments=moment, at=at, slow=slow, progress=progress.count)
    call.answer(found, rehearsal_text)
    if call.figure is not None:
        from vestigo.show.figures import rehearsal

        save(rehearsal(found)[0], call.figure, "the worst moment over time")


def _named_by_file(paths: Sequence[Path]) -> dict[str, "Plan"]:
    """Plans by the names of their files. Raises InputError."""
    from vestigo.errors import InputError
    from vestigo.rules import read_plan

    plans = {path.stem: read_plan(path) for path in paths}
    if len(plans) < len(paths):
        raise InputError("--beside: two files have the same name; rename one")
    return plans


VERB = Verb(9, "How bad days go: restarts, outages, a slow origin.", rehearse)
