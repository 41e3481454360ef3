"""What a cache may do differently from its settings, as rules that can be replayed."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np

from vestigo.explaining.drive.answers import Marks
from vestigo.outcome.seen import NO_AGE
from vestigo.rounding import ROUND
from vestigo.rules import Plan
from vestigo.rules.eviction import POLICIES
from vestigo.trace import Trace
from vestigo.units import Duration, counted

Changes = dict[str, Any]
SHARED = "pool.all.lookups"
"""The dotted key under which look-ups come to share one room."""
_NEAR = (0.5, 0.75, 0.9, 0.97, 1.03, 1.1, 1.33, 2)
_ONLINE = tuple(name for name in POLICIES if name != "belady")


class Trial(NamedTuple):
    """A statement about the cache, and rules with their values that say the same, for every look-up."""

    what: str
    rules: Changes


def trials(trace: Trace, driven: Marks, plan: Plan) -> Iterator[Trial]:
    """What a cache with these answers may do differently from a plan."""
    rules = [plan.rules_for(name) for name in trace.lookups]
    pools = [plan.pool_rules(name) for name in trace.lookups]
    yield from _uses(rules)
    yield from _deadlines(rules)
    yield from _changes(rules)
    yield from _shared(trace, plan, pools)
    yield from _lifetimes(trace, driven, rules)
    sizes = list(_sizes(trace, pools))
    yield from sizes
    if any(pool.max_entries or pool.max_bytes for pool in pools):
        for name in _ONLINE:
            yield Trial(_evicts(name, [pool.eviction.name for pool in pools]), {"eviction": name})
    hidden = [one for one in sizes if len(one.rules) == 1]  # a wrong size can hide the policy
    for name in ("fifo", "clock", "random"):
        yield from (Trial(f"{_evicts(name, ())}, and {one.what}", {"eviction": name, **one.rules}) for one in hidden)


def _shared(trace: Trace, plan: Plan, pools: Sequence[Any]) -> Iterator[Trial]:
    """One room for all look-ups. It has the size that one of them has now, or that all have together."""
    lookups = list(trace.lookups)
    if plan.pools or len(lookups) < 2:
        return
    entries = [pool.max_entries for pool in pools if pool.max_entries is not None]
    for most in {*entries, sum(entries)} - {0}:
        what = f"all look-ups share one room for {counted(most, 'entry', 'entries')}"
        policy = str(pools[0].eviction)
        other = {"pool.all.eviction": policy} if policy != "lru" else {}
        yield Trial(what, {SHARED: lookups, "pool.all.max_entries": most, **other})


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
    """Whether an entry is still live exactly at its deadline, and whether it takes room after it."""
    later = {
        name: str(Duration(min(spans) + 1))
        for name in ("absolute", "sliding")
        if (spans := {getattr(one, name) for one in rules if getattr(one, name) is not None})
    }
    if later:
        yield Trial("an entry is still valid at the exact moment of its deadline", later)
    yield Trial("what has expired takes no room", {"collect": "prompt"})
    yield Trial("what has expired takes room until it is touched or evicted", {"collect": "touch"})
    yield Trial("lifetimes do not vary", {"jitter": "0%"})


def _changes(rules: Sequence[Any]) -> Iterator[Trial]:
    said = {
        "nulls": {
            "keep": "it keeps nulls",
            "skip": "it does not keep nulls",
            "blind": "it stores nulls, but treats them as misses",
        },
        "on_write": {
            "leave": "writes leave what it holds",
            "drop": "writes drop what it holds",
            "replace": "writes put the new value in place",
        },
        "per": {"all": "all nodes share it", "node": "each node has one of its own"},
        "when_full": {
            "refuse": "it takes no more when it is full",
            "free 10%": "when it is full, it makes a tenth free at once",
            "free 25%": "when it is full, it makes a quarter free at once",
            "free 50%": "when it is full, it makes half of it free at once",
        },
    }
    for rule, ways in said.items():
        for value, what in ways.items():
            if any(str(getattr(one, rule)) != value for one in rules):
                yield Trial(what, {rule: value})


def _lifetimes(trace: Trace, driven: Marks, rules: Sequence[Any]) -> Iterator[Trial]:
    """Lifetimes, from the oldest answers and the longest time between two uses. No lifetime can have been shorter than
    these.
    """
    oldest = int(driven.age_ns.max(initial=NO_AGE))
    for rule, since, most in (("absolute", "load", oldest), ("sliding", "last use", _longest_idle(trace, driven))):
        today = {getattr(one, rule) for one in rules}
        for span in _spans_from(most):
            if {span} != today:
                yield Trial(f"it keeps a value for {span} after its {since}", {rule: str(span)})
        if any(one is not None for one in today):
            yield Trial(f"values do not expire after their {since}", {rule: "never"})


def _spans_from(most_ns: int) -> list[Duration]:
    """The time itself, and the next round times above it."""
    if most_ns <= 0:
        return []
    longer = [Duration(span) for span in ROUND if span >= most_ns][:3]
    return [*longer, Duration(most_ns + 1)]


def _longest_idle(trace: Trace, driven: Marks) -> int:
    """The longest time between a hit and the read of its key before it, on its node."""
    rows = driven.rows
    order = np.lexsort((rows, trace.node[rows], trace.key[rows]))
    key, node, at = (column[rows][order] for column in (trace.key, trace.node, trace.at))
    again = (key[1:] == key[:-1]) & (node[1:] == node[:-1]) & driven.hit[order][1:]
    return int(np.diff(at)[again].max(initial=NO_AGE))


def _sizes(trace: Trace, pools: Sequence[Any]) -> Iterator[Trial]:
    """Rooms near the stated ones, or of every magnitude if none is stated."""
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
        for power in np.arange(0, np.log2(max(len(trace.keys), 2)) + 0.25, 0.5):
            size = max(round(2.0**power), 1)
            yield Trial(f"it has room for {counted(size, 'entry', 'entries')}", {"max_entries": size})
