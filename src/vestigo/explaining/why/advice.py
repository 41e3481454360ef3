"""Finds by replaying which change of a rule would have helped a key."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vestigo.engine.changes import changes_of
from vestigo.engine.job import job
from vestigo.engine.watch import watched
from vestigo.errors import InputError
from vestigo.explaining.why.steps import CAME, begins_ns
from vestigo.explaining.why.story import Advice, Step
from vestigo.outcome import CAUSES
from vestigo.outcome.keys import Keys
from vestigo.outcome.seen import Watching
from vestigo.rounding import ROUND, at_least
from vestigo.rules import Plan, Rules
from vestigo.rules.plan_text import rule_text
from vestigo.rules.pool import POOL_RULES
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


Change = dict[str, Any]


def advice_for(case: Case) -> list[Advice]:
    """The changes that help, the best first. For each, the whole trace is replayed."""
    misses = {cause: int(case.keys.counted[cause][case.key]) for cause in CAUSES}
    causes = sorted((cause for cause in CAUSES if misses[cause]), key=lambda cause: -misses[cause])[:_MOST_CAUSES]
    stale = int(case.keys.counted["stale_hits"][case.key])
    tried = [(cause, change) for cause in causes for change in _against(case, cause)]
    tried += [("stale", change) for change in (_against_stale(case) if stale else ())]
    found = [one for cause, change in tried if (one := _replayed(case, cause, change)) and one.fresh_hits > 0]
    different = {(one.cause, one.hits, one.stale_hits, one.lookup_hits): one for one in reversed(found)}
    return sorted(different.values(), key=lambda one: -one.fresh_hits)


def _replayed(case: Case, cause: str, change: Change) -> Advice | None:
    """The counts with this change, or None if it does not fit the plan."""
    try:
        plan = case.plan.changed(change)
        counted = watched(case.trace, job(case.trace, plan), Watching(keys=True)).keys
    except InputError:
        return None
    assert counted is not None
    then = Keys(case.trace, counted, case.keys.changes_shown)
    lookup = case.trace.key_lookup == case.trace.key_lookup[case.key]

    def more(name: str, of: Any) -> int:
        return int(then.column(name)[of].sum()) - int(case.keys.column(name)[of].sum())

    span = max(int(case.trace.at[-1]) - case.counted_from_ns, 1)
    memory = tuple(float(one.column("held_byte_ns")[lookup].sum()) / span for one in (case.keys, then))
    return Advice(
        change,
        {key: _today(case, key.rpartition(".")[2]) for key in change},
        cause,
        more("hits", case.key),
        more("stale_hits", case.key),
        more("hits", lookup),
        more("stale_hits", lookup),
        (memory[0], memory[1]),
    )


def _against(case: Case, cause: str) -> Iterator[Change]:
    """Changes that could turn misses of this cause into hits."""
    rules, room = case.rules, case.plan.pool_rules(case.lookup)
    of_room = {"max_entries": room.max_entries, "max_bytes": room.max_bytes}
    simple: dict[str, list[tuple[str, Any]]] = {
        "null": [("nulls", how) for how in ("keep", "keep 10m", "keep 1m")],
        "loading": [("overlap", "join")],
        "elsewhere": [("per", per) for per in ("node", "all") if per != rules.per],
        "dropped": [("on_write", "replace")] * (rules.on_write == "drop")
        + [("tell_nodes", "copy")] * (rules.tell_nodes == "drop"),
        "forced": [("drop_first", False)] * rules.drop_first,
        "fixed_time": [("absolute_at", "never")],
        "cleared": [("clear_every", "never"), ("clear_at", "never")],
        "restarted": [("survives_restart", True)],
        "refused": [("keep_if", "all")],
    }
    yield from ({f"{_table(case)}.{rule}": value} for rule, value in simple.get(cause, []))
    times = {"evicted": (2, 4), "refused": (4,)}.get(cause, ())
    limits = [(rule, most) for rule, most in of_room.items() if most is not None]
    yield from ({f"{_table(case, pooled=True)}.{rule}": most * by} for rule, most in limits for by in times)
    lifetimes = {"aged": "absolute", "idle": "sliding"}
    if rule := lifetimes.get(cause):
        yield from _longer(case, rule, getattr(rules, rule), cause)


def _against_stale(case: Case) -> Iterator[Change]:
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


def _longer(case: Case, rule: str, now: Duration | None, cause: str) -> Iterator[Change]:
    """Lifetimes that would have been long enough for half of these misses, and for nine tenths. At its very deadline an
    entry is expired.
    """
    waits = _waits(case, cause)
    if now is None or not waits:
        return
    wanted = [int(np.quantile(waits, share)) for share in (0.5, 0.9)]
    for one in dict.fromkeys(longer for span in wanted if (longer := at_least(span + 1)) > now):
        yield {f"{_table(case)}.{rule}": str(one)}


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


def _table(case: Case, pooled: bool = False) -> str:
    """The place in a plan of a rule of the look-up, or of its room."""
    pool = case.plan.pool_for(case.lookup) if pooled else None
    return f"lookup.{case.lookup}" if pool is None else f"pool.{pool}"
