"""Sweeps a plan's candidates for the verbs that judge them. Results are kept beside the plan, and the terminal shows
the time left.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vestigo.choosing.sweep import Sweep
    from vestigo.cli.call import Call
    from vestigo.cli.screen import Progress
    from vestigo.rules import Plan
    from vestigo.trace import Trace

_LONG_SECONDS = 10 * 60.0
"""A sweep that would take longer is not begun without ``--yes``."""
_SAMPLE = "10%"


def swept(call: "Call", replays: int | None = None) -> "tuple[Sweep, Trace]":
    """The sweep or search, and the trace (which cannot be read twice if it came from a pipe)."""
    from vestigo.choosing.run_sweep import sweep
    from vestigo.choosing.search import search
    from vestigo.cli.screen import Progress

    plan = call.settings
    with Progress() as progress:
        trace = call.read(progress)
        if replays is None and call.sample is None and not call.yes:
            _refuse_if_long(trace, plan)
        if call.cluster is not None:
            return _on_cluster(call, plan, progress), trace
        common: dict[str, Any] = {"results": call.kept_in, "rest": call.rest, "progress": progress.count}
        if replays is not None:
            common |= {"sample": call.sample} if call.sample is not None else {}
            return search(trace, plan, replays=replays, seed=call.seed, **common), trace
        return sweep(trace, plan, sample=call.sample, **common), trace


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


def _refuse_if_long(trace: "Trace", plan: "Plan") -> None:
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
