"""Settings that might explain a cache better than those that were stated, and how well each does, by replay."""

import dataclasses
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from vestigo.engine.job import job
from vestigo.engine.watch import watched
from vestigo.errors import InputError
from vestigo.outcome.seen import NO_AGE, Watching
from vestigo.rules import Plan, Pool
from vestigo.rules.eviction import POLICIES
from vestigo.rules.stated import Stated
from vestigo.rules.vary import changed
from vestigo.study.drive.answers import Marks, ages_of_replay, marks_of_replay
from vestigo.study.drive.driven import Explanation
from vestigo.study.round import ROUND
from vestigo.trace import Trace
from vestigo.units import Duration, counted

Changes = dict[str, Any]
_NEAR = (0.5, 0.75, 0.9, 0.97, 1.03, 1.1, 1.33, 2)
_ONLINE = tuple(name for name in POLICIES if name != "belady")
_SHARED = "pool.all.lookups"
_LEAST_GAIN = 0.01
"""In parts of the reads that are answered differently: less explains nothing."""


class Trial(NamedTuple):
    """What a cache would be like, and rules that say so, for every look-up alike: a name of a rule, and its value."""

    what: str
    rules: Changes


@dataclass(frozen=True)
class Judge:
    """Says how many reads a replay answers as the driven cache did."""

    trace: Trace
    driven: Marks

    def marks(self, plan: Plan) -> Marks:
        """Raises RulesError."""
        answers = watched(self.trace, job(self.trace, plan, instant=True), Watching(reads=True)).answers
        assert answers is not None
        return marks_of_replay(answers, self.driven.rows)

    def alike(self, plan: Plan) -> np.ndarray:
        """By look-up. Raises RulesError."""
        answers = watched(self.trace, job(self.trace, plan, instant=True), Watching(reads=True)).answers
        assert answers is not None
        alike = self.driven.alike(ages_of_replay(answers, self.driven.rows))
        return np.bincount(self.lookups[alike], minlength=len(self.trace.lookups))

    @cached_property
    def lookups(self) -> np.ndarray:
        """Of each read."""
        return self.trace.lookup[self.driven.rows]


class Best(NamedTuple):
    """The trial that explains most, and how much, by look-up."""

    found: Explanation
    plan: Plan
    alike: np.ndarray


def explanations(
    judge: Judge, plan: Plan, most: int, progress: Callable[[str], None] = lambda _: None
) -> tuple[list[Explanation], Plan]:
    """Changes that explain the cache better, each on top of those before, the most telling first; and all of them."""
    found: dict[tuple[str, ...], Explanation] = {}
    alike, reads = judge.alike(plan), len(judge.driven.rows)
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        for _ in range(most):
            if alike.sum() == reads:
                break
            progress(f"looking for what explains the cache: {alike.sum() / reads:.1%} of the reads so far")
            best = _best(judge, plan, alike, _trials(judge, plan), threads)
            if best is None or best.alike.sum() - alike.sum() <= _LEAST_GAIN * (reads - alike.sum()):
                break
            plan, alike = best.plan, best.alike
            found.pop(tuple(best.found.changes), None)  # a better value of the same rule takes its place
            found[tuple(best.found.changes)] = best.found
    return list(found.values()), plan


def _best(
    judge: Judge, plan: Plan, today: np.ndarray, trials: Iterable[Trial], threads: ThreadPoolExecutor
) -> Best | None:
    """For those look-ups in which it explains anything."""
    tried = threads.map(lambda trial: _tried(judge, plan, today, trial), trials)
    best = max((one for one in tried if one is not None), key=lambda one: int(one.alike.sum()), default=None)
    if best is None or best.alike.sum() <= today.sum():
        return None
    return _refined(judge, plan, best)


def _tried(judge: Judge, plan: Plan, today: np.ndarray, trial: Trial) -> Best | None:
    """None where the plan does not take it."""
    lookups = judge.trace.lookups
    found = _replayed(judge, plan, trial.what, _everywhere(plan, trial.rules, lookups, lookups))
    if found is None or not (found.alike < today).any() or not (found.alike > today).any():
        return found
    better = [name for name, gain in zip(lookups, found.alike - today, strict=True) if gain > 0]
    return _replayed(judge, plan, f"{', '.join(better)}: {trial.what}", _everywhere(plan, trial.rules, better, lookups))


def _replayed(judge: Judge, plan: Plan, what: str, changes: Changes) -> Best | None:
    try:
        then = with_changes(plan, changes)
        alike = judge.alike(then)
    except InputError:
        return None
    return Best(Explanation(what, changes, int(alike.sum())), then, alike)


def with_changes(plan: Plan, changes: Changes) -> Plan:
    """As `changed`, and look-ups may come to share a room. Raises RulesError."""
    lookups = changes.get(_SHARED)
    if lookups is not None:
        plan = dataclasses.replace(plan, pools={"all": Pool(lookups=lookups)})
    return changed(plan, {key: value for key, value in changes.items() if key != _SHARED})


def _refined(judge: Judge, plan: Plan, best: Best) -> Best:
    """With the size that explains most near one that explains much."""
    sizes = {key: value for key, value in best.found.changes.items() if key.endswith((".max_entries", ".max_bytes"))}
    size = next((value for value in sizes.values() if isinstance(value, int)), None)
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


def _everywhere(plan: Plan, rules: Changes, lookups: Sequence[str], every: Sequence[str]) -> Changes:
    """The dotted keys under which rules hold for some of all look-ups, whatever states them today."""
    if _SHARED in rules:
        return rules
    changes: Changes = {}
    is_all = len(lookups) == len(every)
    for rule, value in rules.items():
        if is_all:
            changes[f"rules.{rule}"] = value
        for name in lookups:
            pool = plan.pool_for(name)
            if pool is not None and rule in Pool.model_fields:
                changes[f"pool.{pool}.{rule}"] = value
            elif not is_all or rule in Stated.by(plan.lookups.get(name, {})):
                changes[f"lookup.{name}.{rule}"] = value
    return changes


def _trials(judge: Judge, plan: Plan) -> Iterator[Trial]:
    """What a cache may do otherwise than it is said to."""
    rules = [plan.rules_for(name) for name in judge.trace.lookups]
    pools = [plan.pool_rules(name) for name in judge.trace.lookups]
    yield from _uses(rules)
    yield from _deadlines(rules)
    yield from _changes(rules)
    yield from _shared(judge, plan, pools)
    yield from _lifetimes(judge, rules)
    sizes = list(_sizes(judge, pools))
    yield from sizes
    if any(pool.max_entries or pool.max_bytes for pool in pools):
        for name in _ONLINE:
            yield Trial(_evicts(name, [pool.eviction.name for pool in pools]), {"eviction": name})
        hidden = [one for one in sizes if len(one.rules) == 1]  # a policy may hide behind a wrong size
        for name in ("fifo", "clock", "random"):
            yield from (
                Trial(f"it evicts as {name} does, {one.what}", {"eviction": name, **one.rules}) for one in hidden
            )


def _shared(judge: Judge, plan: Plan, pools: Sequence[Any]) -> Iterator[Trial]:
    """One room for all look-ups, of the size that one of them has now, or all together."""
    lookups = list(judge.trace.lookups)
    if plan.pools or len(lookups) < 2:
        return
    entries = [pool.max_entries for pool in pools if pool.max_entries is not None]
    for most in {*entries, sum(entries)} - {0}:
        what = f"all look-ups share one room for {counted(most, 'entry', 'entries')}"
        yield Trial(what, {_SHARED: lookups, "pool.all.max_entries": most, "pool.all.eviction": pools[0].eviction.name})


def _evicts(name: str, today: Sequence[str]) -> str:
    if name == "fifo" and set(today) == {"lru"}:
        return "a hit does not count as a use when it evicts (eviction = fifo)"
    return f"it evicts as {name} does"


def _uses(rules: Sequence[Any]) -> Iterator[Trial]:
    """What a hit does to a lifetime."""
    for span in {one.sliding for one in rules if one.sliding is not None}:
        yield Trial("a hit does not prolong a lifetime", {"sliding": "never", "absolute": str(span)})
    for span in {one.absolute for one in rules if one.absolute is not None}:
        yield Trial("a hit prolongs the lifetime", {"sliding": str(span), "absolute": "never"})


def _deadlines(rules: Sequence[Any]) -> Iterator[Trial]:
    """Whether an entry lives at its very deadline, and whether it takes room after it."""
    later = {
        name: str(Duration(min(spans) + 1))
        for name in ("absolute", "sliding")
        if (spans := {getattr(one, name) for one in rules if getattr(one, name) is not None})
    }
    if later:
        yield Trial("an entry still counts at its very deadline", later)
    yield Trial("what has expired takes no room", {"collect": "prompt"})
    yield Trial("what has expired takes room until it is touched or evicted", {"collect": "touch"})
    yield Trial("lifetimes do not vary", {"jitter": "0%"})


def _changes(rules: Sequence[Any]) -> Iterator[Trial]:
    said = {
        "nulls": {
            "keep": "it keeps nulls",
            "skip": "it does not keep nulls",
            "blind": "it keeps nulls, and takes them for nothing",
        },
        "on_write": {
            "leave": "writes leave what it holds",
            "drop": "writes drop what it holds",
            "replace": "writes put the new value in place",
        },
        "per": {"all": "all nodes share it", "node": "each node has one of its own"},
        "when_full": {"refuse": "it takes no more when it is full"},
    }
    for rule, ways in said.items():
        for value, what in ways.items():
            if any(str(getattr(one, rule)) != value for one in rules):
                yield Trial(what, {rule: value})


def _lifetimes(judge: Judge, rules: Sequence[Any]) -> Iterator[Trial]:
    """From the oldest answers, and from the longest time between two uses: no lifetime can have been shorter."""
    for rule, since, most in (("absolute", "load", _oldest(judge)), ("sliding", "last use", _longest_idle(judge))):
        today = {getattr(one, rule) for one in rules}
        for span in _spans_from(most):
            if {span} != today:
                yield Trial(f"it keeps a value for {span} after its {since}", {rule: str(span)})
        if any(one is not None for one in today):
            yield Trial(f"no time after its {since} ends a value", {rule: "never"})


def _spans_from(most_ns: int) -> list[Duration]:
    """The next round times from there on, and the time itself."""
    if most_ns <= 0:
        return []
    longer = [Duration(span) for span in ROUND if span >= most_ns][:3]
    return [*longer, Duration(most_ns + 1)]


def _oldest(judge: Judge) -> int:
    return int(judge.driven.age_ns.max(initial=NO_AGE))


def _longest_idle(judge: Judge) -> int:
    """The longest time between a hit and the read of its key before it, on its node."""
    trace, rows = judge.trace, judge.driven.rows
    order = np.lexsort((rows, trace.node[rows], trace.key[rows]))
    key, node, at = (column[rows][order] for column in (trace.key, trace.node, trace.at))
    again = (key[1:] == key[:-1]) & (node[1:] == node[:-1]) & judge.driven.hit[order][1:]
    return int(np.diff(at)[again].max(initial=NO_AGE))


def _sizes(judge: Judge, pools: Sequence[Any]) -> Iterator[Trial]:
    """Rooms near those that are stated, or of every order where none is."""
    entries = {pool.max_entries for pool in pools if pool.max_entries is not None}
    sizes = {pool.max_bytes for pool in pools if pool.max_bytes is not None}
    for most in entries:
        near = {most - 1, most + 1, *(round(most * times) for times in _NEAR)}
        for size in sorted(near - {most}):
            if size > 0:
                yield Trial(f"it has room for {counted(size, 'entry', 'entries')}", {"max_entries": size})
        yield Trial("it has no limit", {"max_entries": "no limit"})
    for most in sizes:
        yield Trial("it weighs values without any overhead", {"entry_overhead": 0})
        for times in _NEAR:
            yield Trial(f"it has room for {round(most * times):,} bytes", {"max_bytes": round(most * times)})
        yield Trial("it has no limit", {"max_bytes": "no limit"})
    if not (entries or sizes):
        for power in np.arange(0, np.log2(max(len(judge.trace.keys), 2)) + 0.25, 0.5):
            size = max(round(2.0**power), 1)
            yield Trial(f"it has room for {counted(size, 'entry', 'entries')}", {"max_entries": size})
