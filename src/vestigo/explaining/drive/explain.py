"""Looks for the settings that explain a cache's answers best: it replays trials, keeps the best, and goes on from
there.
"""

import dataclasses
import os
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from vestigo.engine.job import job
from vestigo.engine.watch import watched
from vestigo.errors import InputError
from vestigo.explaining.drive.answers import Marks, ages_of_replay, marks_of_replay
from vestigo.explaining.drive.driven import Explanation
from vestigo.explaining.drive.trials import SHARED, Changes, Trial, trials
from vestigo.explaining.hypotheses.everywhere import keys_for
from vestigo.outcome.seen import Answers, Watching
from vestigo.progress import Progress, say_nothing
from vestigo.rules import Plan, Pool
from vestigo.trace import Trace

_FAR = 4
"""Times a size: so far others are tried that explain as much."""
_LEAST_GAIN = 0.01
"""In parts of the reads that are answered differently: less explains nothing."""


@dataclass(frozen=True)
class Judge:
    """Counts how many reads a replay answers like the driven cache."""

    trace: Trace
    driven: Marks

    def marks(self, plan: Plan) -> Marks:
        """Raises RulesError."""
        return marks_of_replay(self._answers(plan), self.driven.rows)

    def alike(self, plan: Plan) -> np.ndarray:
        """By look-up. Raises RulesError."""
        alike = self.driven.alike(ages_of_replay(self._answers(plan), self.driven.rows))
        return np.bincount(self.lookups[alike], minlength=len(self.trace.lookups))

    def _answers(self, plan: Plan) -> Answers:
        answers = watched(self.trace, job(self.trace, plan, instant=True), Watching(reads=True)).answers
        assert answers is not None
        return answers

    @cached_property
    def lookups(self) -> np.ndarray:
        """Of each read."""
        return self.trace.lookup[self.driven.rows]


class Best(NamedTuple):
    """The trial that explains most, and how much it explains of each look-up."""

    found: Explanation
    plan: Plan
    alike: np.ndarray


def explanations(
    judge: Judge, plan: Plan, most: int, progress: Progress = say_nothing
) -> tuple[list[Explanation], Plan]:
    """The changes that explain the cache better, and the plan with all of them. The most important one is first, and
    each comes on top of those before.
    """
    found: dict[tuple[str, ...], Explanation] = {}
    alike, reads = judge.alike(plan), len(judge.driven.rows)
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        for _ in range(most):
            if alike.sum() == reads:
                break
            progress(f"looking for what explains the cache: {alike.sum() / reads:.1%} of the reads so far", 0, 0)
            best = _best(judge, plan, alike, trials(judge.trace, judge.driven, plan), threads)
            if best is None or best.alike.sum() - alike.sum() <= _LEAST_GAIN * (reads - alike.sum()):
                break
            plan, alike = best.plan, best.alike
            found.pop(tuple(best.found.changes), None)  # a better value of the same rule replaces it
            found[tuple(best.found.changes)] = best.found
    return [_with_range(judge, plan, one, int(alike.sum())) for one in found.values()], plan


def _with_range(judge: Judge, plan: Plan, found: Explanation, alike: int) -> Explanation:
    """For a size, the explanation names the range of sizes that explain the cache equally well."""
    sizes, size = _size_of(found.changes)
    if size is None:
        return found

    def is_as_good(other: int) -> bool:
        then = _replayed(judge, plan, "", dict.fromkeys(sizes, other)) if 0 < other <= _FAR * size else None
        return then is not None and then.found.alike >= alike

    def last(sign: int) -> int:
        here, step = size, 1
        while is_as_good(here + sign * step):
            here, step = here + sign * step, step * 2
        while step := step // 2:
            here += sign * step if is_as_good(here + sign * step) else 0
        return here

    low, high = last(-1), last(1)
    as_well = f" ({low:,} to {high:,} explain as much)" if low < high else ""
    return dataclasses.replace(found, what=f"{found.what}{as_well}")


def _size_of(changes: Mapping[str, Any]) -> tuple[list[str], int | None]:
    """The keys of changes that limit a room, with the limits."""
    keys = [key for key in changes if key.endswith((".max_entries", ".max_bytes"))]
    return keys, next((changes[key] for key in keys if isinstance(changes[key], int)), None)


def _best(
    judge: Judge, plan: Plan, today: np.ndarray, trials: Iterable[Trial], threads: ThreadPoolExecutor
) -> Best | None:
    """The best trial, applied to the look-ups in which it explains anything."""
    tried = [one for one in threads.map(lambda trial: _tried(judge, plan, today, trial), trials) if one is not None]
    # A limit may be wrong only in its size, and with another policy. A limit that is never reached says nothing.
    sized = [one for one in tried if _size_of(one.found.changes)[1] is not None and (one.alike != today).any()]
    of_policies = {_policy(one): one for one in sorted(sized, key=_worth)}
    promising = [max(tried, key=_worth), *of_policies.values()] if tried else []
    best = max(threads.map(lambda one: _refined(judge, plan, one), promising), key=_worth, default=None)
    return best if best is not None and best.alike.sum() > today.sum() else None


def _policy(one: Best) -> str:
    return next((str(value) for key, value in one.found.changes.items() if key.endswith(".eviction")), "")


def _worth(one: Best) -> int:
    """How much a trial explains. Of equal ones, the first that was tried counts as best, because trials are in order of
    how much they say.
    """
    return int(one.alike.sum())


def _tried(judge: Judge, plan: Plan, today: np.ndarray, trial: Trial) -> Best | None:
    """The reads that are answered alike with this trial, or None if it does not fit the plan."""
    lookups = judge.trace.lookups
    found = _replayed(judge, plan, trial.what, _keys(plan, trial.rules, lookups, lookups))
    is_mixed = found is not None and (found.alike < today).any() and (found.alike > today).any()
    if not is_mixed or (plan.pools and set(trial.rules) & set(Pool.model_fields)):
        return found
    assert found is not None
    better = [name for name, gain in zip(lookups, found.alike - today, strict=True) if gain > 0]
    return _replayed(judge, plan, f"{', '.join(better)}: {trial.what}", _keys(plan, trial.rules, better, lookups))


def _keys(plan: Plan, rules: Changes, lookups: Sequence[str], every: Sequence[str]) -> Changes:
    return rules if SHARED in rules else keys_for(plan, rules, lookups, every)


def _replayed(judge: Judge, plan: Plan, what: str, changes: Changes) -> Best | None:
    try:
        then = with_changes(plan, changes)
        alike = judge.alike(then)
    except InputError:
        return None
    return Best(Explanation(what, changes, int(alike.sum())), then, alike)


def with_changes(plan: Plan, changes: Changes) -> Plan:
    """Like `changed`, but look-ups may also come to share a room. Raises RulesError."""
    lookups = changes.get(SHARED)
    if lookups is not None:
        plan = dataclasses.replace(plan, pools={"all": Pool(lookups=lookups)})
    return plan.changed({key: value for key, value in changes.items() if key != SHARED})


def _refined(judge: Judge, plan: Plan, best: Best) -> Best:
    """The same trial with a nearby size that explains more."""
    sizes, size = _size_of(best.found.changes)
    if size is None:
        return best
    step = size // 4
    while step:
        here = size
        for other in (here - step, here + step):
            changes = {**best.found.changes, **dict.fromkeys(sizes, other)}
            what = best.found.what.replace(f"{size:,}", f"{other:,}")
            found = _replayed(judge, plan, what, changes)
            if found is not None and found.alike.sum() > best.alike.sum():
                best, size = found, other
        step = step if size != here else step // 2
    return best
