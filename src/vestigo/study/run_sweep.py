"""``sweep``: replays every candidate of a plan on one trace, side by side, and keeps the results on disk."""

import dataclasses
import os
import time
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Executor
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from vestigo.arguments import argument
from vestigo.engine.job import Job, job
from vestigo.engine.ready import prepare
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError, TraceError
from vestigo.rules import Plan
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.rules.vary import changed, combinations, count, name_of
from vestigo.study import bounds
from vestigo.study.candidates import TODAY, Candidate, Progress, Result
from vestigo.study.compare import check_names, references
from vestigo.study.estimate import Estimate
from vestigo.study.front import unbeaten_rows
from vestigo.study.key_sample import KeySample
from vestigo.study.results import replayed, split_at
from vestigo.study.store import trace_name
from vestigo.study.sweep import Sweep
from vestigo.study.tasks import Task, Tasks
from vestigo.trace import Readable, Trace, read_trace
from vestigo.units import parse_share

REFERENCES = (bounds.NO_CACHE, bounds.KEEP_ALL, bounds.ALWAYS_FRESH)
SHARE_FOR_REST = "40%"
"""Of the counted time: what is held back to check a choice."""

Asked = dict[str, tuple[Mapping[str, Any], Plan]]
"""By name: what a candidate changes, and its plan."""


def sweep(  # noqa: PLR0913
    trace: Readable,
    plan: Settings,
    *,
    results: str | Path | None = None,
    rest: str = SHARE_FOR_REST,
    sample: str | None = None,
    only: Iterable[Mapping[str, Any]] | None = None,
    executor: Executor | None = None,
    progress: Progress | None = None,
) -> Sweep:
    """Replays today's settings, the plan's candidates and every combination of what varies, on all cores.

    `results` names a file that keeps each result as it comes. So an interrupted sweep continues where it was, and a
    candidate whose trace and rules are unchanged is not replayed again. The last `rest` of the counted time (``"40%"``)
    is held back, to check what a choice made on the time before gives there. With a `sample` (``"10%"`` of the keys)
    all candidates are estimated first, and only those that no other beats are replayed (see `KeySample`). If `only` is
    given, only these combinations are tried. With an `executor` (`concurrent.futures`), whose workers may be other
    processes or machines, `trace` is the path of a prepared file that all of them can open. `progress` is called with
    what is being done (``"estimates"``, ``"replays"``), how many are done, and how many there are.

    Raises RulesError if the plan does not fit the trace, and Interrupted on Ctrl-C or when workers are lost.

    >>> from vestigo import Rules, read_trace
    >>> trace = read_trace({"at": [0, 10, 20, 30], "key": ["a", "b", "a", "b"]})
    >>> found = sweep(trace, Plan(Rules(max_entries=1), vary={"rules.max_entries": [2, 3]}))
    >>> {name: candidate.measure("hit_rate") for name, candidate in found.items()}
    {'today': 0.0, 'max_entries=2': 0.5, 'max_entries=3': 0.5}
    """
    plan = plan_of(plan)
    check_names(plan)
    for_rest = share_between("rest", rest)
    path = Path(trace) if isinstance(trace, (str, Path)) else None
    if executor is not None and path is None:
        raise TraceError("with an executor, name the prepared file of the trace, which its workers open")
    given = trace_of(trace, plan)
    settings, notes = settings_of(plan, only)
    on, used = applied(given, dataclasses.replace(plan, candidates={name: one for name, (_, one) in settings.items()}))
    today = job(on, used)
    split = split_at(today, for_rest)
    estimates: dict[str, Estimate] = {}
    with Tasks(given, results, executor, progress) as tasks:
        if sample is not None:
            sampler = cache(lambda: KeySample(on, sample, samples=1))
            asked = [
                Task(name, tasks.stored_as(one, for_rest, sample), _estimate, (sampler, used.candidates[name]))
                for name, (_, one) in settings.items()
            ]
            found, _ = tasks.run(asked, "estimates", sampler)
            estimates = {name: Estimate.from_dict(found[name]) for name in settings}
            settings = _promising(settings, estimates)
            notes.append(
                f"{len(estimates):,} were estimated from {sample} of the keys, {len(settings):,} of them replayed"
            )
            used = dataclasses.replace(used, candidates={name: used.candidates[name] for name in settings})
        asked = [
            Task(
                name,
                tasks.stored_as(one, for_rest),
                replayed_at,
                (str(path.resolve()), trace_name(given), one.to_dict(), for_rest),
                anywhere=True,
            )
            if executor and path
            else Task(name, tasks.stored_as(one, for_rest), _replayed_here, (on, used.candidates[name], name, split))
            for name, (_, one) in settings.items()
        ]
        makers = references(on, used, list(used.candidates.values()))
        ideal = bounds.ceiling(on, used, list(used.candidates.values()))
        asked += [
            Task(
                name, tasks.stored_as(settings[TODAY][1], for_rest, name, *ideal.stated), _referred, (make, name, split)
            )
            for name, make in zip(REFERENCES, makers, strict=True)
        ]
        found, made = tasks.run(asked, "replays", lambda: prepare(on, [today]))
    return Sweep(
        {name: Candidate(name, changes, one, found[name]) for name, (changes, one) in settings.items()},
        {name: Candidate(name, {}, used, found[name]) for name in REFERENCES},
        plan.aim,
        _bounds(on, today, split),
        made,
        (*notes, *tasks.notes),
        given.source,
        estimates,
    )


def known(trace: Trace, plan: Plan, results: str | Path, rest: str = SHARE_FOR_REST) -> list[Mapping[str, Any]]:
    """The combinations whose results are in the file of an earlier sweep."""
    settings, _ = settings_of(plan)
    with Tasks(trace, results, None, None) as tasks:
        share = share_between("rest", rest)
        return [
            changes for changes, one in settings.values() if changes and tasks.is_known(tasks.stored_as(one, share))
        ]


def _promising(settings: Asked, estimates: Mapping[str, Estimate]) -> Asked:
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


def _bounds(trace: Trace, today: Job, split: int) -> tuple[int, int, int]:
    if len(trace) == 0:
        return 0, 0, 0
    return int(trace.at[today.first_counted]), split, int(trace.at[-1])


def estimated_seconds(trace: Trace, plan: Plan, sample: str | None = None) -> float:
    """How long a sweep would take on this machine's cores, or, with a `sample`, all of its estimates. It is told by one
    replay of today's settings, after the trace was made ready. Raises RulesError if a sample cannot tell.
    """
    on, used = applied(trace, dataclasses.replace(plan, candidates={}, vary={}))
    today = job(on, used)
    if sample is None:
        prepare(on, [today])
        seconds = _seconds(lambda: replayed(on, today, TODAY, split_at(today, share_between("rest", SHARE_FOR_REST))))
    else:
        sampler = KeySample(on, sample, samples=1)
        sampler.estimate(used)
        seconds = _seconds(lambda: sampler.estimate(used))
    return seconds * count(plan.vary) / (os.cpu_count() or 1)


def share_between(name: str, text: str) -> float:
    """A share above 0 % and below 100 %. Raises RulesError."""
    share = float(argument(name, parse_share, text))
    if not 0 < share < 1:
        raise RulesError(f'{name}: {text!r} is not between 0% and 100%; write "40%", for example')
    return share


def _seconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def settings_of(plan: Plan, only: Iterable[Mapping[str, Any]] | None = None) -> tuple[Asked, list[str]]:
    """Today's settings and all candidates by name, with what they change, and a note on what is left out."""
    today = dataclasses.replace(plan, candidates={}, vary={})
    settings: Asked = {TODAY: ({}, today)}
    for name, one in plan.candidates.items():
        settings[name] = ({}, dataclasses.replace(one, warm_up=plan.warm_up, what_if=plan.what_if))
    left_out, why = 0, ""
    for changes in only if only is not None else combinations(plan.vary) if plan.vary else ():
        try:
            settings.setdefault(name_of(changes), (changes, changed(plan, changes)))
        except RulesError as error:
            left_out, why = left_out + 1, why or f"{name_of(changes)}: {error.problems[0]}"
    return settings, [
        f"{left_out:,} combinations contradict themselves and are left out; the first, {why}"
    ] if left_out else []


def replayed_at(path: str, content: str, stated: dict[str, Any], rest: float) -> Result:
    """What a worker does. It opens the trace itself, and keeps it open for the next candidate.

    Raises TraceError if the file does not hold the trace with this `content` (see `trace_name`).
    """
    trace, plan = applied(_opened(path, content), Plan.from_dict(stated))
    one = job(trace, plan)
    return replayed(trace, one, path, split_at(one, rest))


@lru_cache(maxsize=1)
def _opened(path: str, content: str) -> Trace:
    trace = read_trace(path)
    if trace_name(trace) != content:
        raise TraceError(f"{path}: is not the trace that the sweep was started with; start a new sweep")
    return trace


def _estimate(sampler: Callable[[], KeySample], plan: Plan) -> Result:
    return sampler().estimate(plan).amounts


def _replayed_here(trace: Trace, plan: Plan, name: str, split_ns: int) -> Result:
    return replayed(trace, job(trace, plan), name, split_ns)


def _referred(make: Callable[[], tuple[Trace, Job]], name: str, split_ns: int) -> Result:
    trace, one = make()
    return replayed(trace, one, name, split_ns)
