"""``vestigo choose``: the settings to take, and why."""

from typing import TYPE_CHECKING, Annotated

import typer

from vestigo.cli.options import (
    ClusterOption,
    FigureOption,
    IntakeOption,
    JsonOption,
    NoResultsOption,
    PlanOption,
    RestOption,
    ResultsOption,
    RulesOption,
    SampleOption,
    SeedOption,
    StrictOption,
    TraceArgument,
    WriteOption,
    YesOption,
)
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from pathlib import Path

    from vestigo.choosing.pick import Pick
    from vestigo.choosing.sweep import Sweep
    from vestigo.cli.swept import Asked
    from vestigo.rules import Plan
    from vestigo.trace import Trace

NOT_MET = 1


def choose(
    trace: TraceArgument = None,
    plan: PlanOption = None,
    rules: RulesOption = None,
    intake: IntakeOption = None,
    strict: StrictOption = False,
    sample: SampleOption = None,
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
    rest: RestOption = "40%",
    seed: SeedOption = 0,
    results: ResultsOption = None,
    no_results: NoResultsOption = False,
    yes: YesOption = False,
    cluster: ClusterOption = None,
    write: WriteOption = None,
    figure: FigureOption = None,
    as_json: JsonOption = False,
) -> None:
    """Replay all candidates, and name the best one for the plan's [aim] within its limits, with reasons.

    Example: vestigo choose skerrow-quay.parquet --plan plan.toml --write picked.toml
    """
    from vestigo.cli.asked import intake_options, plan_for
    from vestigo.cli.screen import note, show, show_json
    from vestigo.cli.swept import Asked, swept, write_plan
    from vestigo.rules import Plan

    asked = Asked(
        trace=trace,
        plan_path=plan,
        plan=plan_for(plan, rules, is_needed=True) or Plan(),
        intake=intake_options(intake, strict),
        rest=rest,
        results=results,
        no_results=no_results,
        yes=yes,
        sample=sample,
        cluster=cluster,
        replays=replays,
        seed=seed,
    )
    _check_together(asked, share_out, figure)
    if share_out is not None:
        return _share_out(asked, share_out, write, as_json)
    found, of = swept(asked)
    pick = found.choose(seed=seed)
    if as_json:
        show_json(pick.to_dict(), found.notes)
    else:
        from vestigo.show.study import pick_text

        show(pick_text(pick))
    if write is not None and pick.is_met:
        write_plan(pick.candidate.plan, asked, write)
        note(f"{write}: the picked settings")
    elif write is not None:
        note(f"{write}: not written, because no candidate keeps the limits")
    if figure is not None:
        _draw(of, asked.plan, found, pick, figure)
    if not (pick.is_met and pick.holds):
        raise typer.Exit(NOT_MET)
    return None


def _check_together(asked: "Asked", share_out: str | None, figure: "Path | None") -> None:
    """Raises InputError for options that contradict each other."""
    from vestigo.errors import InputError

    if asked.replays is not None and asked.cluster is not None:
        raise InputError("--cluster: --replays searches only on this machine; leave out one of them")
    others = {
        "--sample": asked.sample,
        "--replays": asked.replays,
        "--cluster": asked.cluster,
        "--results": asked.results,
        "--figure": figure,
    }
    if share_out is not None and (idle := [name for name, value in others.items() if value is not None]):
        raise InputError(f"{' and '.join(idle)}: --share-out replays only two divisions; leave out one of them")


def _share_out(asked: "Asked", total: str, write: "Path | None", as_json: bool) -> None:
    from vestigo.choosing.share_out import share_out
    from vestigo.cli.asked import read
    from vestigo.cli.screen import Progress, note, show, show_json
    from vestigo.cli.swept import write_plan
    from vestigo.show.displayed import shown

    with Progress() as progress:
        trace = read(asked.trace, asked.plan, asked.intake, progress)
        progress.step("all sizes of each look-up")
        sharing = share_out(trace, asked.plan, total)
    if as_json:
        show_json(sharing.to_dict(), sharing.sweep.notes)
    else:
        show(shown(sharing))
    if write is not None:
        write_plan(sharing.plan, asked, write)
        note(f"{write}: today's rules with these limits")
    if not sharing.is_best:
        note("the even split answers more reads: the curves, which know no expiry, do not hold here")
        raise typer.Exit(NOT_MET)


def _draw(trace: "Trace", plan: "Plan", found: "Sweep", pick: "Pick", path: "Path") -> None:
    """Draws a page of figures: the front, all sizes, today's misses, and the rules that matter most."""
    from vestigo.cli.screen import Progress, save
    from vestigo.engine import replay
    from vestigo.engine.size_curve import size_curve
    from vestigo.show.figures import choice

    with Progress() as progress:
        progress.step("drawing")
        curves = [size_curve(trace, plan, lookup=name) for name in trace.lookups]
        page = choice(found, pick, curves, replay(trace, plan, name="today"))
    save(page[0], path, "a page of figures")


VERB = Verb(
    6,
    "Which settings to take, and why.",
    choose,
    "0 done, 1 no candidate keeps the limits or the choice does not hold on held-out time, 2 wrong input, 130 "
    "interrupted",
)
