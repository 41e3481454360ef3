"""Finds settings for the verbs that judge them: by a search, or by a sweep of all combinations of a plan. Results are
kept beside the plan, and the terminal shows the time left.
"""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from vestigo.choosing.finding.found import Search
    from vestigo.choosing.sweep import Sweep
    from vestigo.cli.call import Call
    from vestigo.cli.screen import Progress
    from vestigo.rules import Plan
    from vestigo.trace import Trace

_LONG_SECONDS = 10 * 60.0
"""A sweep that would take longer is not begun without ``--yes``."""
_SAMPLE = "10%"


def searched(call: "Call", seconds: float | None = None) -> "tuple[Search, Trace]":
    """The search, and the trace (which cannot be read twice if it came from a pipe)."""
    from vestigo.choosing.finding.search import search
    from vestigo.cli.screen import Progress

    with Progress() as progress:
        trace = call.read(progress)
        found = search(trace, call.plan, seconds=seconds, results=call.kept_in, rest=call.rest, progress=progress.count)
        return found, trace


def swept(call: "Call") -> "tuple[Sweep, Trace]":
    """The sweep of all combinations, or where each look-up is set by itself, the search; and the trace."""
    from vestigo.choosing.run_sweep import sweep
    from vestigo.cli.screen import Progress
    from vestigo.rules.vary import is_searched

    plan = call.settings
    if is_searched(plan.vary):
        return searched(call)
    with Progress() as progress:
        trace = call.read(progress)
        if call.sample is None and not call.yes:
            refuse_if_long(trace, plan)
        if call.cluster is not None:
            return _on_cluster(call, plan, progress), trace
        return sweep(
            trace, plan, sample=call.sample, results=call.kept_in, rest=call.rest, progress=progress.count
        ), trace


def _on_cluster(call: "Call", plan: "Plan", progress: "Progress") -> "Sweep":
    from vestigo.choosing.run_sweep import sweep
    from vestigo.cli.cluster import workers
    from vestigo.errors import InputError

    path, *others = call.trace or [str(plan.trace_path)]
    if others:
        raise InputError(
            "--cluster: the workers open one prepared trace; write these as one: vestigo convert TRACE... NAME.arrow"
        )
    with workers(call.cluster or "", path) as executor:
        return sweep(
            path,
            plan,
            results=call.kept_in,
            rest=call.rest,
            sample=call.sample,
            executor=executor,
            progress=progress.count,
        )


def refuse_if_long(trace: "Trace", plan: "Plan") -> None:
    """Raises InputError if the replays would take long. The message says how many there are and how long they would
    take.
    """
    from vestigo.choosing.run_sweep import estimated_seconds
    from vestigo.errors import InputError, RulesError
    from vestigo.rules.vary import count
    from vestigo.units import format_seconds

    candidates = count(plan.vary)
    if candidates < 100:
        return
    seconds = estimated_seconds(trace, plan)
    if seconds <= _LONG_SECONDS:
        return
    try:
        estimates = f" ({format_seconds(estimated_seconds(trace, plan, _SAMPLE))} to estimate them)"
    except RulesError:
        estimates = ""
    raise InputError(
        f"[vary] makes {candidates:,} candidates, which take about {format_seconds(seconds)}; vary less, use "
        f"--sample {_SAMPLE}{estimates}, or add --yes to run it anyway"
    )
