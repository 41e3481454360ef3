"""``vestigo choose``: the settings to take, and why."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, TypeGuard

import typer

from vestigo.cli.call import RESULTS, SETTINGS, Call, asks
from vestigo.cli.verbs import Verb

if TYPE_CHECKING:
    from vestigo.choosing.finding.found import Search
    from vestigo.choosing.pick import Pick
    from vestigo.choosing.sweep import Sweep
    from vestigo.rules import Plan
    from vestigo.trace import Trace

NOT_MET = 1


@asks(*SETTINGS, "sample", ..., "rest", "seed", *RESULTS, "yes", "cluster", "write", "template", "figure", "as_json")
def choose(
    call: Call,
    front: Annotated[
        bool, typer.Option("--front", help="Print the best trade-offs: no other is at least as good in all of them.")
    ] = False,
    every: Annotated[bool, typer.Option("--all", help="Print every candidate.")] = False,
    seconds: Annotated[
        float | None,
        typer.Option(
            "--seconds",
            metavar="NUMBER",
            help="End the search after so much time, with what it has.",
            show_default=False,
        ),
    ] = None,
    also: Annotated[
        list[Path] | None,
        typer.Option(
            "--also",
            metavar="FILE",
            help="Choose for this recording, too: limits hold in each. Can be repeated.",
            show_default=False,
        ),
    ] = None,
    rest_from: Annotated[
        Path | None,
        typer.Option(
            "--rest-from",
            metavar="FILE",
            help="Check the choice on this other recording, in place of the last part of the time.",
            show_default=False,
        ),
    ] = None,
) -> None:
    """Find the settings that are best for the plan's [aim] within its limits, and say how good they are.

    Without a plan, or with `each.RULE = "any"` under [vary], a search finds the settings of each look-up. With lists of
    values for `rules.RULE` or `lookup.NAME.RULE`, every combination is replayed.

    Example: vestigo choose skerrow-quay.parquet --plan plan.toml --write picked.toml

    Example: vestigo choose monday.parquet --also sunday.parquet --also storm.parquet --plan plan.toml
    """
    is_search = _is_search(call)
    _check_together(call, is_search, front and every, seconds)
    if also:
        idle = {"--front": front, "--all": every, "--seconds": seconds, "--rest-from": rest_from}
        _choose_across(call, also, {**idle, "--sample": call.sample, "--cluster": call.cluster})
    else:
        _choose(call, is_search, front, every, seconds, rest_from)


def _choose(
    call: Call, is_search: bool, front: bool, every: bool, seconds: float | None, rest_from: Path | None
) -> None:
    """Chooses for one recording."""
    from vestigo.cli.found import searched, swept
    from vestigo.cli.screen import note
    from vestigo.errors import Interrupted

    if call.plan is not None and call.plan.aim.of != "all":
        note("[aim] of: there is only one recording; it counts where --also names more")

    try:
        found, trace = searched(call, seconds) if is_search else swept(call)
    except Interrupted as stopped:
        if _has_found(stopped.found):
            _show(call, stopped.found, front, every, None)
        raise
    pick = _show(call, found, front, every, rest_from)
    if pick is None:
        if call.figure is not None:
            _draw_front(found, call.figure)
        return
    if call.figure is not None:
        _draw(trace, found.today.plan, found, pick, call.figure)
    if not (pick.is_met and pick.holds):
        raise typer.Exit(NOT_MET)


def _choose_across(call: Call, also: list[Path], idle: dict[str, object]) -> None:
    """Chooses for several recordings."""
    from vestigo.choosing.across.run import across
    from vestigo.cli.found import refuse_if_long
    from vestigo.cli.screen import Progress, note
    from vestigo.errors import InputError
    from vestigo.show.across import across_text

    idle["--figure"] = call.figure
    if stated := [name for name, value in idle.items() if value]:
        raise InputError(f"{' and '.join(stated)}: is for one recording; leave it out, or leave --also out")
    with Progress() as progress:
        first = call.read(progress)
        traces = [first, *(call.earlier(path, progress) for path in also)]
        for one in traces if call.plan is not None and not _is_search(call) and not call.yes else ():
            refuse_if_long(one, call.settings)
        found = across(traces, call.plan, results=call.kept_in, rest=call.rest, progress=progress.count)
    call.answer(found, across_text)
    if found.is_met:
        lookups = dict.fromkeys(name for one in traces for name in one.lookups)
        call.write_plan(found.plan, list(lookups), "the picked settings")
    elif call.write is not None:
        note(f"{call.write}: not written, because no settings keep the limits on each recording")
    if not found.is_met:
        raise typer.Exit(NOT_MET)


def _is_search(call: Call) -> bool:
    """Whether the settings are searched for: unless the plan has a whole grid of values."""
    from vestigo.rules.vary import is_searched

    return call.plan is None or not call.plan.vary or is_searched(call.plan.vary)


def _check_together(call: Call, is_search: bool, both: bool, seconds: float | None) -> None:
    """Raises InputError for options that contradict each other."""
    from vestigo.errors import InputError

    if both:
        raise InputError("--front and --all: print different tables; leave out one of them")
    if seconds is not None and not seconds > 0:
        raise InputError(f"--seconds: {seconds:g} is no time to search in; give a number above 0")
    if not is_search and seconds is not None:
        raise InputError(
            "--seconds: ends a search, and [vary] lists all values to try; leave it out, or write each.RULE there"
        )
    idle = {"--sample": call.sample, "--cluster": call.cluster}
    if is_search and (stated := [name for name, value in idle.items() if value is not None]):
        raise InputError(
            f"{' and '.join(stated)}: is for a list of values under [vary], which are all tried; leave it out"
        )


def _told(pick: "Pick", found: "Sweep") -> dict[str, Any]:
    """The pick for machines, with what else the search has found."""
    from vestigo.choosing.finding.found import Search

    return {**pick.to_dict(), **found.told()} if isinstance(found, Search) else pick.to_dict()


def _has_found(found: object) -> TypeGuard["Search"]:
    """Whether a search had found something when it was stopped."""
    from vestigo.choosing.finding.answers import FOUND
    from vestigo.choosing.finding.found import Search

    return isinstance(found, Search) and FOUND in found


def _show(call: Call, found: "Sweep", front: bool, every: bool, rest_from: Path | None) -> "Pick | None":
    """Prints the table that is asked for, or the pick."""
    from vestigo.show.pick import pick_text
    from vestigo.show.study import every_text, sweep_text

    if front or every:
        call.answer(found, sweep_text if front else every_text, found.notes)
        return None
    pick = found.choose(seed=call.seed)
    if rest_from is not None:
        pick = _checked_on(call, pick, rest_from)
    call.answer(_told(pick, found) if call.as_json else pick, pick_text, found.notes)
    _write(call, pick)
    return pick


def _checked_on(call: Call, pick: "Pick", path: Path) -> "Pick":
    """The pick with what it gives on another recording."""
    from vestigo.choosing.elsewhere import checked_on
    from vestigo.cli.screen import Progress

    with Progress() as progress:
        return checked_on(pick, call.earlier(path, progress), path.name)


def _write(call: Call, pick: "Pick") -> None:
    from vestigo.cli.screen import note

    if pick.is_met:
        call.write_plan(pick.candidate.plan, list(pick.candidate.lookups), "the picked settings")
    elif call.write is not None:
        note(f"{call.write}: not written, because no candidate keeps the limits")


def _draw_front(found: "Sweep", path: Path) -> None:
    from vestigo.cli.screen import save
    from vestigo.show.figures import front

    save(front(found), path, "all candidates, and those that no other beats")


def _draw(trace: "Trace", plan: "Plan", candidates: "Sweep", pick: "Pick", path: Path) -> None:
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
    5,
    "Find the settings to take, and say how good they are.",
    choose,
    "0 done, 1 no candidate keeps the limits or the choice does not hold on held-out time, 2 wrong input, 130 "
    "interrupted",
)
