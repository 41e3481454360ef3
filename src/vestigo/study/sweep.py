"""``sweep``: every candidate of a plan on one trace, side by side, kept on disk as they come."""

import dataclasses
import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor, as_completed
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from vestigo.engine.job import Job, job
from vestigo.engine.what_if import applied
from vestigo.errors import Interrupted, RulesError, TraceError, VestigoError
from vestigo.rules import Plan
from vestigo.rules.vary import changed, combinations, count, name_of
from vestigo.study import bounds
from vestigo.study.compare import check_names, prepare, references
from vestigo.study.front import unbeaten_rows
from vestigo.study.sampling import Estimate, Sampler
from vestigo.study.store import Store, result_name, trace_name
from vestigo.study.study import TODAY, Candidate, Result, Study, replayed, split_at
from vestigo.trace import Trace, read_trace

REFERENCES = (bounds.NO_CACHE, bounds.KEEP_ALL, bounds.ALWAYS_FRESH)
SHARE_FOR_REST = 0.4
"""Of the counted time: what a pick is confirmed on."""

Progress = Callable[[int, int], None]
Settings = dict[str, tuple[Mapping[str, Any], Plan]]
"""By name: what a candidate changes, and its plan."""


class Task(NamedTuple):
    """A replay that is asked for, and the name under which its result is kept."""

    name: str
    kept_as: str | None
    run: Callable[..., Result]
    arguments: tuple[Any, ...]
    anywhere: bool = False
    """Whether a worker elsewhere can do it."""


def sweep(  # noqa: PLR0913
    trace: Trace | str | Path,
    plan: Plan,
    *,
    results: str | Path | None = None,
    rest: float = SHARE_FOR_REST,
    sample: str | None = None,
    only: Iterable[Mapping[str, Any]] | None = None,
    executor: Executor | None = None,
    progress: Progress | None = None,
) -> Study:
    """Replays today's settings, the plan's candidates and every combination of what varies, on all cores.

    `results` names a file that keeps each result as it comes: a sweep that was interrupted goes on where it was, and a
    candidate whose trace and rules are unchanged is not replayed again. The last `rest` of the counted time, a share
    from 0 to 1, confirms what is chosen on the time before. With a `sample` (``"10%"`` of the keys) all are estimated
    first, and only those that no other beats are replayed; see `Sampler`. Of the combinations of what varies, `only`
    those are tried, if any are said. With an `executor` (`concurrent.futures`), which may have its workers in other
    processes or on other machines, `trace` is the path of a prepared file that all of them can open. `progress` is
    called with how many replays are done, and of how many.

    Raises RulesError if the plan does not fit the trace, and Interrupted on Ctrl-C or when workers are lost.

    >>> from vestigo.rules import Rules
    >>> trace = Trace.from_table({"at": [0, 10, 20, 30], "key": ["a", "b", "a", "b"]})
    >>> study = sweep(trace, Plan(Rules(max_entries=1), vary={"rules.max_entries": [2, 3]}))
    >>> {name: candidate.measure("hit_rate") for name, candidate in study.items()}
    {'today': 0.0, 'max_entries=2': 0.5, 'max_entries=3': 0.5}
    """
    check_names(plan)
    if not 0 < rest < 1:
        raise RulesError(f"rest = {rest}: is no share between 0 and 1; write 0.4, say")
    path = None if isinstance(trace, Trace) else Path(trace)
    if executor is not None and path is None:
        raise TraceError("with an executor, name the prepared file of the trace, which its workers open")
    given = trace if isinstance(trace, Trace) else read_trace(trace)
    settings, notes = settings_of(plan, only)
    on, used = applied(given, dataclasses.replace(plan, candidates={name: one for name, (_, one) in settings.items()}))
    estimates: dict[str, Estimate] = {}
    if sample is not None:
        estimates = _estimated(on, used, sample)
        settings = _promising(settings, estimates)
        notes.append(f"{len(estimates):,} were estimated from {sample} of the keys, {len(settings):,} of them replayed")
        used = dataclasses.replace(used, candidates={name: used.candidates[name] for name in settings})
    today = job(on, used)
    split = split_at(today, rest)
    store = Store(Path(results)) if results is not None else None
    found: dict[str, Result] = {}
    tasks: list[Task] = []
    try:
        kept = _Names(given if store else None, rest)
        tasks += [
            Task(name, kept.of(one), replayed_at, (str(path.resolve()), one.to_dict(), rest), True)
            if executor and path
            else Task(name, kept.of(one), _replayed_here, (on, used.candidates[name], name, split))
            for name, (_, one) in settings.items()
        ]
        makers = references(on, used, list(used.candidates.values()))
        survive = bounds.outlived(on, list(used.candidates.values()))[1]
        tasks += [
            Task(name, kept.of(settings[TODAY][1], name, survive), _referred, (make, name, split))
            for name, make in zip(REFERENCES, makers, strict=True)
        ]
        found |= _known(tasks, store)
        missing = [task for task in tasks if task.name not in found]
        if missing:
            prepare(on, [today])
        for done, (name, result) in enumerate(_results(missing, store, executor), len(found) + 1):
            found[name] = result
            if progress:
                progress(done, len(tasks))
        notes += store.notes if store else []
    except (KeyboardInterrupt, BrokenExecutor) as why:
        stopped = "stopped" if isinstance(why, KeyboardInterrupt) else "the workers are lost"
        more = "the same call goes on from there" if store else "give a file for results, and they are kept"
        raise Interrupted(f"{stopped} after {len(found):,} of {len(tasks):,} replays; {more}") from None
    finally:
        if store:
            store.close()
    return Study(
        {name: Candidate(name, changes, one, found[name]) for name, (changes, one) in settings.items()},
        {name: Candidate(name, {}, used, found[name]) for name in REFERENCES},
        plan.aim,
        _bounds(on, today, split),
        len(missing),
        tuple(notes),
        given.source,
        estimates,
    )


def _estimated(trace: Trace, plan: Plan, share: str) -> dict[str, Estimate]:
    sampler = Sampler(trace, share, samples=1)
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        found = threads.map(sampler.estimate, plan.candidates.values())
        return dict(zip(plan.candidates, found, strict=True))


def _promising(settings: Settings, estimates: Mapping[str, Estimate]) -> Settings:
    """Today's settings, candidates that have a name of their own, and of all that varies what no other beats."""
    table = [[-one.hit_rate, -one.fresh_hit_rate, one.stale_rate, one.memory_peak] for one in estimates.values()]
    front = {list(estimates)[place] for place in unbeaten_rows(np.array(table))}
    return {name: one for name, one in settings.items() if name in front or not one[0]}


def _bounds(trace: Trace, today: Job, split: int) -> tuple[int, int, int]:
    if len(trace) == 0:
        return 0, 0, 0
    return int(trace.at[today.first_counted]), split, int(trace.at[-1])


def estimated_seconds(trace: Trace, plan: Plan) -> float:
    """How long a sweep would take on this machine's cores: from one replay of today's settings, once all is ready."""
    on, used = applied(trace, dataclasses.replace(plan, candidates={}, vary={}))
    today = job(on, used)
    prepare(on, [today])
    begun = time.perf_counter()
    replayed(on, today, TODAY, split_at(today, SHARE_FOR_REST))
    return (time.perf_counter() - begun) * count(plan.vary) / (os.cpu_count() or 1)


def settings_of(plan: Plan, only: Iterable[Mapping[str, Any]] | None = None) -> tuple[Settings, list[str]]:
    """Today's settings and all candidates by name, with what they change; and what is left out."""
    today = dataclasses.replace(plan, candidates={}, vary={})
    settings: Settings = {TODAY: ({}, today)}
    for name, one in plan.candidates.items():
        settings[name] = ({}, dataclasses.replace(one, warm_up=plan.warm_up, what_if=plan.what_if))
    left_out, why = 0, ""
    for changes in only if only is not None else combinations(plan.vary) if plan.vary else ():
        try:
            settings.setdefault(name_of(changes), (changes, changed(plan, changes)))
        except RulesError as error:
            left_out, why = left_out + 1, why or f"{name_of(changes)}: {error.problems[0]}"
    return settings, [f"{left_out:,} combinations mean nothing and are left out; the first, {why}"] if left_out else []


def replayed_at(path: str, stated: dict[str, Any], rest: float) -> Result:
    """What a worker does, which opens the trace by itself and keeps it open for the next candidate."""
    trace, plan = applied(_opened(path), Plan.from_dict(stated))
    one = job(trace, plan)
    return replayed(trace, one, path, split_at(one, rest))


@lru_cache(maxsize=1)
def _opened(path: str) -> Trace:
    return read_trace(path)


def _replayed_here(trace: Trace, plan: Plan, name: str, split_ns: int) -> Result:
    return replayed(trace, job(trace, plan), name, split_ns)


def _referred(make: Callable[[], tuple[Trace, Job]], name: str, split_ns: int) -> Result:
    trace, one = make()
    return replayed(trace, one, name, split_ns)


class _Names:
    """Under which name each result is kept, if results are kept."""

    def __init__(self, trace: Trace | None, rest: float) -> None:
        self._trace = trace_name(trace) if trace is not None else None
        self._rest = rest

    def of(self, plan: Plan, *more: object) -> str | None:
        return None if self._trace is None else result_name(self._trace, plan, self._rest, *more)


def _known(tasks: list[Task], store: Store | None) -> dict[str, Result]:
    if store is None:
        return {}
    found = {task.name: store.get(task.kept_as) for task in tasks if task.kept_as is not None}
    return {name: result for name, result in found.items() if result is not None}


def _results(tasks: list[Task], store: Store | None, executor: Executor | None) -> Iterator[tuple[str, Result]]:
    """As they come, each kept before it is given. Whatever happens, those that are done are kept."""
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        futures = {
            (executor if task.anywhere and executor else threads).submit(task.run, *task.arguments): task
            for task in tasks
        }
        try:
            for future in as_completed(futures):
                yield futures[future].name, _keep(_given(future, futures[future]), futures[future], store)
        finally:
            for future in futures:
                future.cancel()  # those that run are waited for: each takes seconds


def _given(future: "Future[Result]", task: Task) -> Result:
    """What a worker elsewhere says of its own end differs from executor to executor."""
    try:
        return future.result()
    except VestigoError:
        raise
    except Exception as error:
        if not task.anywhere:
            raise
        raise BrokenExecutor(str(error)) from error


def _keep(result: Result, task: Task, store: Store | None) -> Result:
    if store is not None and task.kept_as is not None:
        store.put(task.kept_as, result)
    return result
