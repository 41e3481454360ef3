"""Finds by replaying which change of a rule would have helped a key."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.engine.changes import changes_of
from vestigo.engine.job import job
from vestigo.engine.watch import keys_of
from vestigo.explaining.hypotheses.catalogue import values_on
from vestigo.explaining.hypotheses.hypothesis import Hypothesis
from vestigo.explaining.hypotheses.trying import Score, Tried, trying
from vestigo.explaining.why.steps import CAME, begins_ns
from vestigo.explaining.why.story import Advice, Step
from vestigo.outcome import CAUSES
from vestigo.outcome.keys import Keys
from vestigo.rounding import ROUND, at_least
from vestigo.rules import Plan, Rules
from vestigo.rules.plan_text import rule_text
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.vary import Changes
from vestigo.trace import Trace
from vestigo.units import Duration

_MOST_CAUSES = 3


@dataclass(frozen=True)
class Case:
    """A key under a plan."""

    trace: Trace
    plan: Plan
    key: int
    rules: Rules
    """Those of the key."""
    steps: Sequence[Step]
    keys: Keys
    """What is counted today of the keys of the look-up."""
    counted_from_ns: int

    @property
    def lookup(self) -> str:
        return str(self.trace.lookups[self.trace.key_lookup[self.key]])


_AGAINST = {
    "first": ("preload",),
    "null": ("nulls",),
    "loading": ("overlap",),
    "elsewhere": ("per", "preload"),
    "dropped": ("on_write", "tell_nodes"),
    "forced": ("drop_first",),
    "fixed_time": ("absolute_at",),
    "cleared": ("clear_every", "clear_at"),
    "restarted": ("survives_restart", "preload"),
    "refused": ("keep_if", "when_full"),
}
"""By the cause of misses, the rules of which another value could turn them into hits."""


class _Counts(NamedTuple):
    """What is counted of a key and of its look-up."""

    hits: int
    stale_hits: int
    lookup_hits: int
    lookup_stale_hits: int
    held_byte_ns: float
    """Of the look-up."""

    @classmethod
    def of(cls, case: Case, keys: Keys) -> "_Counts":
        lookup = case.trace.key_lookup == case.trace.key_lookup[case.key]
        hits, stale_hits, held = (keys.column(name) for name in ("hits", "stale_hits", "held_byte_ns"))
        sums = int(hits[lookup].sum()), int(stale_hits[lookup].sum()), float(held[lookup].sum(dtype=float))
        return cls(int(hits[case.key]), int(stale_hits[case.key]), *sums)


def advice_for(case: Case) -> list[Advice]:
    """The changes that help, the best first. For each, the part of the trace that has the key is replayed."""
    misses = {cause: int(case.keys.counted[cause][case.key]) for cause in CAUSES}
    causes = sorted((cause for cause in CAUSES if misses[cause]), key=lambda cause: -misses[cause])[:_MOST_CAUSES]
    stale = int(case.keys.counted["stale_hits"][case.key])
    against = [(cause, change) for cause in causes for change in _against(case, cause)]
    against += [("stale", change) for change in (_against_stale(case) if stale else ())]
    first = {repr(change): (cause, change) for cause, change in reversed(against)}  # one can help against several
    tried = [Hypothesis(cause, keys=change) for cause, change in reversed(first.values())]
    lookup = int(case.trace.key_lookup[case.key])

    def counts(trace: Trace, plan: Plan, _: bool) -> _Counts:
        return _Counts.of(case, keys_of(job(trace, plan), lookup))

    score, today = Score(counts, lambda then: then.stale_hits - then.hits), _Counts.of(case, case.keys)
    with trying(case.trace, case.plan, score) as tries:
        found = [_advice(case, one, today) for one in tries.all_tried(tried, today) if one.off < score.off(today)]
    different = {(one.cause, one.hits, one.stale_hits, one.lookup_hits): one for one in reversed(found)}
    return sorted(different.values(), key=lambda one: -one.fresh_hits)


def _advice(case: Case, tried: Tried[_Counts], today: _Counts) -> Advice:
    then, change = tried.gives, tried.changes
    span = max(int(case.trace.at[-1]) - case.counted_from_ns, 1)
    return Advice(
        change,
        {key: _today(case, key.rpartition(".")[2]) for key in change},
        tried.hypothesis.what,
        then.hits - today.hits,
        then.stale_hits - today.stale_hits,
        then.lookup_hits - today.lookup_hits,
        then.lookup_stale_hits - today.lookup_stale_hits,
        (today.held_byte_ns / span, then.held_byte_ns / span),
    )


def _against(case: Case, cause: str) -> Iterator[Changes]:
    """Changes that could turn misses of this cause into hits."""
    rules, room = case.rules, case.plan.pool_rules(case.lookup)
    of_room = {"max_entries": room.max_entries, "max_bytes": room.max_bytes}
    for rule in _AGAINST.get(cause, ()):
        today = getattr(room if rule in POOL_RULES else rules, rule)
        for other in values_on(case.trace, rule, [today]):
            yield {f"{_table(case, rule in POOL_RULES)}.{rule}": other.rules[rule]}
    times = {"evicted": (2, 4), "refused": (4,)}.get(cause, ())
    limits = [(rule, most) for rule, most in of_room.items() if most is not None]
    yield from ({f"{_table(case, is_pooled=True)}.{rule}": most * by} for rule, most in limits for by in times)
    lifetimes = {"aged": "absolute", "idle": "sliding"}
    if lifetime := lifetimes.get(cause):
        yield from _longer(case, lifetime, getattr(rules, lifetime), cause)


def _against_stale(case: Case) -> Iterator[Changes]:
    rules, table = case.rules, _table(case)
    if changes_of(case.trace)[case.trace.key_lookup[case.key]] == "in writes":
        drop = {f"{table}.on_write": "drop"} if rules.on_write == "leave" else {}
        if drop:
            yield drop
        if rules.per == "node" and len(case.trace.nodes) > 1 and rules.tell_nodes == "nothing":
            yield drop | {f"{table}.tell_nodes": "drop"}
    if rules.absolute is not None:
        shorter = [one for one in ROUND if one < rules.absolute]
        yield from ({f"{table}.absolute": str(one)} for one in {shorter[-1], shorter[len(shorter) // 2]} if shorter)


def _longer(case: Case, rule: str, now: Duration | None, cause: str) -> Iterator[Changes]:
    """Lifetimes that would have been long enough for half of these misses, and for nine tenths. At its very deadline an
    entry is expired.
    """
    waits = _waits(case, cause)
    if now is None or not waits:
        return
    wanted = dict.fromkeys(at_least(int(np.quantile(waits, share)) + 1) for share in (0.5, 0.9))
    for lifetime in wanted:
        if lifetime > now:
            yield {f"{_table(case)}.{rule}": str(lifetime)}


def _waits(case: Case, cause: str) -> list[int]:
    """For each miss of this cause, how long ago the lifetimes of the last value began, or its last use."""
    since: dict[str | None, int] = {}
    waits = []
    for step in case.steps:
        if step.what == "missed" and step.cause == cause and step.where in since:
            waits.append(step.at_ns - since[step.where])
        if step.what in CAME:
            since[step.where] = begins_ns(step, case.rules)
        elif cause == "idle" and step.what in ("hit", "stale hit"):
            since[step.where] = step.until_ns
    return waits


def _today(case: Case, rule: str) -> str:
    """The value of a rule of the look-up, or of its room, today."""
    value = getattr(case.plan.pool_rules(case.lookup) if rule in POOL_RULES else case.rules, rule)
    return rule_text(rule, value)


def _table(case: Case, is_pooled: bool = False) -> str:
    """The place in a plan of a rule of the look-up, or of its room."""
    pool = case.plan.pool_for(case.lookup) if is_pooled else None
    return f"lookup.{case.lookup}" if pool is None else f"pool.{pool}"
