"""Sweeps a plan's candidates for the verbs that judge them. Results are kept beside the plan, and the terminal shows
the time left.
"""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vestigo.choosing.sweep import Sweep
    from vestigo.cli.screen import Progress
    from vestigo.rules import Plan
    from vestigo.trace import Trace

_LONG_SECONDS = 10 * 60.0
"""A sweep that would take longer is not begun without ``--yes``."""
_SAMPLE = "10%"


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What the options of `sweep` and `choose` say."""

    trace: list[str] | None
    plan_path: Path | None
    plan: "Plan"
    intake: dict[str, Any]
    rest: str = "40%"
    results: Path | None = None
    no_results: bool = False
    yes: bool = False
    sample: str | None = None
    cluster: str | None = None
    replays: int | None = None
    seed: int = 0

    @property
    def kept_in(self) -> Path | None:
        """Where results are kept: where the user says, or else beside the plan if that folder can be written."""
        from vestigo.cli.asked import PLAN
        from vestigo.cli.screen import note

        if self.no_results or self.results is not None:
            return None if self.no_results else self.results
        plan = self.plan_path or (PLAN if PLAN.exists() else None)
        if plan is None:
            return None
        beside = plan.with_suffix(".results")
        try:
            with beside.open("ab"):
                pass
        except OSError as error:
            note(f"{beside}: results are not kept: {error.strerror}; --results FILE keeps them elsewhere")
            return None
        if beside.stat().st_size == 0:
            beside.unlink()
        return beside


def swept(asked: Asked) -> "tuple[Sweep, Trace]":
    """The sweep or search, and the trace (which cannot be read twice if it came from a pipe)."""
    from vestigo.choosing.run_sweep import sweep
    from vestigo.choosing.search import search
    from vestigo.cli.asked import read
    from vestigo.cli.screen import Progress

    with Progress() as progress:
        trace = read(asked.trace, asked.plan, asked.intake, progress)
        if asked.replays is None and asked.sample is None and not asked.yes:
            _refuse_if_long(trace, asked.plan)
        if asked.cluster is not None:
            return _on_cluster(asked, progress), trace
        common: dict[str, Any] = {"results": asked.kept_in, "rest": asked.rest, "progress": progress.count}
        if asked.replays is not None:
            common |= {"sample": asked.sample} if asked.sample is not None else {}
            return search(trace, asked.plan, replays=asked.replays, seed=asked.seed, **common), trace
        return sweep(trace, asked.plan, sample=asked.sample, **common), trace


def _on_cluster(asked: Asked, progress: "Progress") -> "Sweep":
    from vestigo.choosing.run_sweep import sweep
    from vestigo.cli.cluster import workers
    from vestigo.errors import InputError

    path, *others = asked.trace or [str(asked.plan.trace_path)]
    if others:
        raise InputError(
            "--cluster: the workers open one prepared trace; write these as one: vestigo convert TRACE... NAME.arrow"
        )
    with workers(asked.cluster or "", path) as executor:
        return sweep(
            path,
            asked.plan,
            results=asked.kept_in,
            rest=asked.rest,
            sample=asked.sample,
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


def write_plan(picked: "Plan", asked: Asked, path: Path) -> None:
    """Writes settings as a plan file that can be replayed alone: it has the trace's path if that is one, the meaning of
    its columns, and the aim.
    """
    trace_path = asked.plan.trace_path
    if asked.trace is not None:
        trace_path = Path(asked.trace[0]) if len(asked.trace) == 1 and asked.trace != ["-"] else None
    intake = asked.plan.intake.with_options(asked.intake)
    replace(picked, trace_path=trace_path, intake=intake, aim=asked.plan.aim).write(path)
