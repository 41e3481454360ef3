"""Finds by replaying which change of a rule would have helped a key."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vestigo.engine.changes import changes_of
from vestigo.engine.job import job
from vestigo.engine.watch import keys_of
from vestigo.explaining.hypotheses.catalogue import values
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
    """What is counted today."""
    counted_from_ns: int

    @property
    def lookup(self) -> str:
        return str(self.trace.lookups[self.trace.key_lookup[self.key]])


_AGAINST = {
    "null": ("nulls",),
    "loading": ("overlap",),
    "elsewhere": ("per",),
    "dropped": ("on_write", "tell_nodes"),
    "forced": ("drop_first",),
    "fixed_time": ("absolute_at",),
    "cleared": ("clear_every", "clear_at"),
    "restarted": ("survives_restart",),
    "refused": ("keep_if", "when_full"),
}
"""By the cause of misses, the rules of which another value could turn them into hits."""


def advice_for(case: Case) -> list[Advice]:
    """The changes that help, the best first. For each, the whole trace is replayed."""
    misses = {cause: int(case.keys.counted[cause][case.key]) for cause in CAUSES}
    causes = sorted((cause for cause in CAUSES if misses[cause]), key=lambda cause: -misses[cause])[:_MOST_CAUSES]
    stale = int(case.keys.counted["stale_hits"][case.key])
    tried = [Hypothesis(cause, keys=change) for cause in causes for change in _against(case, cause)]
    tried += [Hypothesis("stale", keys=change) for change in (_against_stale(case) if stale else ())]
    score = Score(lambda trace, plan, _: keys_of(trace, job(trace, plan)), lambda keys: -_fresh_hits(keys, case.key))
    with trying(case.trace, case.plan, score) as tries:
        found = [_advice(case, one) for one in tries.all_tried(tried, case.keys) if one.off < score.off(case.keys)]
    different = {(one.cause, one.hits, one.stale_hits, one.lookup_hits): one for one in reversed(found)}
    return sorted(different.values(), key=lambda one: -one.fresh_hits)


def _fresh_hits(keys: Keys, key: int) -> int:
    return int(keys.column("hits")[key] - keys.column("stale_hits")[key])


def _advice(case: Case, tried: Tried[Keys]) -> Advice:
    then, change = tried.gives, tried.changes
    lookup = case.trace.key_lookup == case.trace.key_lookup[case.key]

    def more(name: str, of: Any) -> int:
        return int(then.column(name)[of].sum()) - int(case.keys.column(name)[of].sum())

    span = max(int(case.trace.at[-1]) - case.counted_from_ns, 1)
    memory = tuple(float(one.column("held_byte_ns")[lookup].sum()) / span for one in (case.keys, then))
    return Advice(
        change,
        {key: _today(case, key.rpartition(".")[2]) for key in change},
        tried.hypothesis.what,
        more("hits", case.key),
        more("stale_hits", case.key),
        more("hits", lookup),
        more("stale_hits", lookup),
        (memory[0], memory[1]),
    )


def _against(case: Case, cause: str) -> Iterator[Changes]:
    """Changes that could turn misses of this cause into hits."""
    rules, room = case.rules, case.plan.pool_rules(case.lookup)
    of_room = {"max_entries": room.max_entries, "max_bytes": room.max_bytes}
    for rule in _AGAINST.get(cause, ()):
        today = getattr(room if rule in POOL_RULES else rules, rule)
        for other in values(rule, [today]):
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
