"""``sweep``: replays every candidate of a plan on one trace, side by side, and keeps the results on disk."""

import dataclasses
import os
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Executor
from functools import cache, lru_cache
from pathlib import Path

import numpy as np

from vestigo.arguments import share_above_zero
from vestigo.choosing import ceilings as bounds
from vestigo.choosing.candidates import Candidate
from vestigo.choosing.compare import references
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.front import unbeaten_rows
from vestigo.choosing.key_sample import KeySample
from vestigo.choosing.rehearsing.rehearser import Rehearser
from vestigo.choosing.results import Kept, bounds_of, kept_of, replayed, split_at
from vestigo.choosing.store import trace_name
from vestigo.choosing.sweep import Sweep
from vestigo.choosing.tasks import Task, Tasks
from vestigo.choosing.tried import tried
from vestigo.engine.job import Job, job
from vestigo.engine.ready import prepare
from vestigo.engine.replay import replay_parts
from vestigo.engine.what_if import applied, changed_trace, settled_plan
from vestigo.errors import RulesError, TraceError
from vestigo.outcome import Outcome
from vestigo.progress import Progress, reporting
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL, NO_CACHE, TODAY
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import Changes, count, is_searched
from vestigo.trace import Readable, Trace, read_trace

Settled = dict[str, tuple[Changes, Plan]]
"""By name: what a candidate changes, and its plan."""
REFERENCES = (NO_CACHE, KEEP_ALL, ALWAYS_FRESH)
SHARE_FOR_REST = "40%"
"""Of the counted time: what is held back to check a choice."""


def sweep(  # noqa: PLR0913
    trace: Readable,
    settings: Settings,
    *,
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    sample: str | None = None,
    only: Iterable[Changes] | None = None,
    executor: Executor | None = None,
    engine: Engine = "native",
    progress: Progress | bool | None = None,
) -> Sweep:
    """Replays today's settings, the plan's candidates and every combination of what varies, on all cores.

    `results` names a file that keeps each result as it comes. So an interrupted sweep continues where it was, and a
    candidate whose trace and rules are unchanged is not replayed again. The last `rest` of the counted time (``"40%"``)
    is held back, to check what a choice made on the time before gives there. With a `sample` (``"10%"`` of the keys)
    all candidates are estimated first, and only those that no other beats are replayed (see `KeySample`). If `only` is
    given, only these combinations are tried. Combinations that are the same settings on this trace are tried once, and
    those that contradict themselves are left out; `Sweep.left_out` says so. With an `executor` (`concurrent.futures`),
    whose workers may be other processes or machines, `trace` is the path of a prepared file that all of them can open.

    `progress` is a function that is called with what is being done (``"estimates"``, ``"parts"``, ``"replays"``), how
    many are done, and how many there are. In a notebook progress is shown unless it is False; with True it is shown
    everywhere.

    Raises RulesError if the settings do not fit the trace, and WorkersLost or, on Ctrl-C, Interrupted. The `found` of
    both is a sweep of what was replayed by then.

    >>> from vestigo import Plan, Rules, read_trace
    >>> trace = read_trace({"at": [0, 10, 20, 30], "key": ["a", "b", "a", "b"]})
    >>> found = sweep(trace, Plan(Rules(max_entries=1), vary={"rules.max_entries": [2, 3]}))
    >>> {name: candidate.measure("hit_rate") for name, candidate in found.items()}
    {'today': 0.0, 'max_entries=2': 0.5, 'max_entries=3': 0.5}
    """
    plan = plan_of(settings, engine)
    path = Path(trace) if isinstance(trace, (str, Path)) else None
    if executor is not None and (path is None or not hasattr(executor, "submit")):
        raise RulesError(
            "executor: give an Executor (concurrent.futures), and as trace the path of a prepared file, which its "
            "workers open"
        )
    if is_searched(plan.vary) and only is None:
        raise RulesError(
            "vary: each look-up is to be set by itself, of which there are too many combinations to try all; "
            "vestigo.search(trace, plan) finds the best"
        )
    with reporting(progress) as report:
        work = Sweeping(trace_of(trace, plan), plan, share_between("rest", rest), only)
        with Tasks(work.given, results, executor, report) as tasks:
            if sample is not None:
                work.estimate(tasks, sample)
            return work.replay(tasks, path if executor is not None else None)


class Sweeping:
    """A sweep at work. Its ceilings hold for the settings in `also`, too."""

    def __init__(
        self, given: Trace, plan: Plan, rest: float, only: Iterable[Changes] | None, also: Sequence[Plan] = ()
    ) -> None:
        self.given, self._plan, self._rest, self._also = given, plan, rest, also
        asked = tried(plan, given.lookups, only)
        self._settings, self._same, self._left_out = asked.settings, asked.same, tuple(asked.left_out)
        self._on = changed_trace(given, plan.what_if)
        self._used = {name: settled_plan(given, one) for name, (_, one) in self._settings.items()}
        self._today = job(self._on, self._used[TODAY])
        self._jobs: dict[str, Job] = {}
        """Those that were made, and not yet replayed."""
        self.split_ns = split_at(self._today, rest)
        """Where the rest of the time begins, on which a choice is checked."""
        self._estimates: dict[str, Estimate] = {}
        self._notes: list[str] = []

    def estimate(self, tasks: Tasks, sample: str) -> None:
        """Estimates all, and keeps those that are to be replayed."""
        sampler = cache(lambda: KeySample(self._on, sample, samples=1))
        to_estimate = [
            Task(name, tasks.stored_as(one, self._rest, sample), _estimate, (sampler, self._used[name]))
            for name, (_, one) in self._settings.items()
        ]
        found, _ = tasks.run(to_estimate, Estimate, "estimates", lambda _: sampler())
        self._estimates = {name: found[name] for name in self._settings}
        self._settings = _promising(self._settings, self._estimates)
        self._notes.append(
            f"{len(self._estimates):,} were estimated from {sample} of the keys, {len(self._settings):,} of them "
            "replayed"
        )
        self._used = {name: self._used[name] for name in self._settings}

    def replay(self, tasks: Tasks, path: Path | None) -> Sweep:
        """Replays all, on the workers of an executor if the path of the trace is given."""
        results, made = tasks.run(
            [*self._references(tasks), *self._candidates(tasks, path)],
            Kept,
            "replays",
            lambda missing: self._prepare(missing, tasks.progress, path),
            lambda results: self._sweep(results, len(results), tasks.notes),
        )
        whole = self._sweep(results, made, tasks.notes)
        assert whole is not None
        return whole

    def _prepare(self, missing: Sequence[str], progress: Progress, path: Path | None) -> None:
        settings = [name for name in missing if name in self._used]
        if len(settings) > 1:
            prepare([self._today])
        if path is None and len(settings) > 1:
            self._jobs = {name: job(self._on, self._used[name]) for name in settings}
            replay_parts(self._jobs.values(), self.split_ns, progress)

    def _replayed(self, name: str) -> Kept:
        made = self._jobs.pop(name, None) or job(self._on, self._used[name])
        return replayed(made, name, self.split_ns)

    def _references(self, tasks: Tasks) -> list[Task]:
        used = [*self._used.values(), *self._also]
        ideal = bounds.ceiling(self._on, self._used[TODAY], used)
        made_by = references(self._on, self._used[TODAY], used)
        today = self._settings[TODAY][1]
        return [
            Task(name, tasks.stored_as(today, self._rest, name, *ideal.stated), _referred, (make, self.split_ns))
            for name, make in made_by.items()
        ]

    def _candidates(self, tasks: Tasks, path: Path | None) -> list[Task]:
        if path is not None:
            where = (str(path.resolve()), trace_name(self.given))
            return [
                Task(
                    name,
                    tasks.stored_as(one, self._rest),
                    replayed_at,
                    (*where, one.replayed_to_dict(), self._rest, one.engine),
                    anywhere=True,
                )
                for name, (_, one) in self._settings.items()
            ]
        return [
            Task(name, tasks.stored_as(one, self._rest), self._replayed, (name,))
            for name, (_, one) in self._settings.items()
        ]

    def _sweep(self, results: Mapping[str, Kept], made: int, notes: Sequence[str]) -> Sweep | None:
        """The sweep of what was found. None if that lacks today's settings or what they are compared with."""
        if not {TODAY, *REFERENCES} <= results.keys():
            return None
        return Sweep(
            {
                name: Candidate.made(name, changes, one, results[name])
                for name, (changes, one) in self._settings.items()
                if name in results
            },
            {name: Candidate.made(name, {}, self._used[TODAY], results[name]) for name in REFERENCES},
            self._plan.aim,
            bounds_of(self._today, self.split_ns),
            made,
            (*self._left_out, *self._notes, *notes),
            self.given.source,
            self._estimates,
            {name: other for name, other in self._same.items() if other in results},
            self._left_out,
            rehearser=Rehearser(self.given, self._settings[TODAY][1]),
        )


def known(trace: Trace, plan: Plan, results: str | Path, rest: str = SHARE_FOR_REST) -> list[Changes]:
    """The combinations whose results are in the file of an earlier sweep."""
    settings = tried(plan, trace.lookups).settings
    with Tasks(trace, results, None) as tasks:
        share = share_between("rest", rest)
        return [
            changes for changes, one in settings.values() if changes and tasks.is_known(tasks.stored_as(one, share))
        ]


def _promising(settings: Settled, estimates: Mapping[str, Estimate]) -> Settled:
    """Today's settings, candidates with a name, and the combinations that no other beats. A sample cannot tell apart
    combinations that differ by less than a tenth of a point, or a hundredth of the memory, so only one of those is
    taken.
    """
    table = [
        [round(-one.hit_rate, 3), round(one.stale_rate, 3), round(100 * np.log(max(one.memory_peak, 1)))]
        for one in estimates.values()
    ]
    front = {list(estimates)[place] for place in unbeaten_rows(np.array(table))}
    return {name: one for name, one in settings.items() if name in front or not one[0]}


def estimated_seconds(trace: Trace, plan: Plan, sample: str | None = None) -> float:
    """How long a sweep would take on this machine's cores, or, with a `sample`, all of its estimates. It is told by one
    replay of today's settings, after the trace was made ready. Raises RulesError if a sample cannot tell.
    """
    on, used = applied(trace, dataclasses.replace(plan, candidates={}, vary={}))
    today = job(on, used)
    if sample is None:
        prepare([today])
        seconds = _seconds(lambda: replayed(today, TODAY, split_at(today, share_between("rest", SHARE_FOR_REST))))
    else:
        sampler = KeySample(on, sample, samples=1)
        sampler.estimate(used)
        seconds = _seconds(lambda: sampler.estimate(used))
    return seconds * count(plan.vary) / (os.cpu_count() or 1)


def share_between(name: str, text: str) -> float:
    """A share above 0 % and below 100 %. Raises RulesError."""
    return share_above_zero(name, text, "40%", below=1)


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def replayed_at(path: str, content: str, stated: dict[str, object], rest: float, engine: Engine = "native") -> Kept:
    """What a worker does. It opens the trace itself, and keeps it open for the next candidate.

    Raises TraceError if the file does not hold the trace with this `content` (see `trace_name`).
    """
    trace, plan = applied(_opened(path, content), Plan.from_dict({**stated, "engine": engine}))
    one = job(trace, plan)
    return replayed(one, path, split_at(one, rest))


@lru_cache(maxsize=1)
def _opened(path: str, content: str) -> Trace:
    trace = read_trace(path)
    if trace_name(trace) != content:
        raise TraceError(f"{path}: is not the trace that the sweep was started with; start a new sweep")
    return trace


def _estimate(sampler: Callable[[], KeySample], plan: Plan) -> Estimate:
    return Estimate.from_dict(sampler().estimate(plan).amounts)


def _referred(make: Callable[[], Outcome], split_ns: int) -> Kept:
    return kept_of(make(), split_ns)
