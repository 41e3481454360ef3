"""``vestigo choose``: the settings to take, and why."""

from typing import TYPE_CHECKING, Annotated

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from pathlib import Path

    from vestigo.choosing.pick import Pick
    from vestigo.choosing.sweep import Sweep
    from vestigo.rules import Plan
    from vestigo.trace import Trace

NOT_MET = 1


@asks(*SETTINGS, "sample", ..., "rest", "seed", *RESULTS, "yes", "cluster", "write", "figure", "as_json")
def choose(
    call: Call,
    replays: Annotated[
        int | None,
        typer.Option(
            "--replays", metavar="NUMBER", help="Replay only this many of the combinations, chosen by a search."
        ),
    ] = None,
    share_out: Annotated[
        str | None,
        typer.Option(
            "--share-out",
            metavar="SIZE",
            help="Instead of trying what varies, divide this much memory, such as '64 MiB', among the look-ups.",
        ),
    ] = None,
) -> None:
    """Replay all candidates, and name the best one for the plan's [aim] within its limits, with reasons.

    Example: vestigo choose skerrow-quay.parquet --plan plan.toml --write picked.toml
    """
    from vestigo.cli.screen import note
    from vestigo.cli.swept import swept
    from vestigo.show.study import pick_text

    _check_together(call, replays, share_out)
    if share_out is not None:
        return _share_out(call, share_out)
    candidates, trace = swept(call, replays)
    pick = candidates.choose(seed=call.seed)
    call.answer(pick, pick_text, candidates.notes)
    if pick.is_met:
        call.write_plan(pick.candidate.plan, "the picked settings")
    elif call.write is not None:
        note(f"{call.write}: not written, because no candidate keeps the limits")
    if call.figure is not None:
        _draw(trace, call.settings, candidates, pick, call.figure)
    if not (pick.is_met and pick.holds):
        raise typer.Exit(NOT_MET)
    return None


def _check_together(call: Call, replays: int | None, share_out: str | None) -> None:
    """Raises InputError for options that contradict each other."""
    from vestigo.errors import InputError

    if replays is not None and call.cluster is not None:
        raise InputError("--cluster: --replays searches only on this machine; leave out one of them")
    others = {
        "--sample": call.sample,
        "--replays": replays,
        "--cluster": call.cluster,
        "--results": call.results,
        "--figure": call.figure,
    }
    if share_out is not None and (idle := [name for name, value in others.items() if value is not None]):
        raise InputError(f"{' and '.join(idle)}: --share-out replays only two divisions; leave out one of them")


def _share_out(call: Call, total: str) -> None:
    from vestigo.choosing.share_out import share_out
    from vestigo.cli.screen import Progress, note
    from vestigo.show.study import sharing_text

    plan = call.settings
    with Progress() as progress:
        trace = call.read(progress)
        progress.step("all sizes of each look-up")
        sharing = share_out(trace, plan, total)
    call.answer(sharing, sharing_text, sharing.sweep.notes)
    call.write_plan(sharing.plan, "today's rules with these limits")
    if not sharing.is_best:
        note("the even split answers more reads: the curves, which know no expiry, do not hold here")
        raise typer.Exit(NOT_MET)


def _draw(trace: "Trace", plan: "Plan", candidates: "Sweep", pick: "Pick", path: "Path") -> None:
    """Draws a page of figures: the front, all sizes, today's misses, and the rules that matter most."""
    from vestigo.cli.screen import Progress, save
    from vestigo.engine import replay
    from vestigo.engine.size_curve import size_curve
    from vestigo.show.figures import choice

    with Progress() as progress:
        progress.step("drawing")
        curves = [size_curve(trace, plan, lookup=name) for name in trace.lookups]
        page = choice(candidates, pick, curves, replay(trace, plan, name="today"))
    save(page[0], path, "a page of figures")


VERB = Verb(
    6,
    "Which settings to take, and why.",
    choose,
    "0 done, 1 no candidate keeps the limits or the choice does not hold on held-out time, 2 wrong input, 130 "
    "interrupted",
)
