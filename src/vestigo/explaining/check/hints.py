"""Advice that is no mistake of the plan: a warm-up that leaves out the cold start, and where it matters from when on
lifetimes run.
"""

import dataclasses
from collections.abc import Iterator, Mapping

import numpy as np

from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.errors import RulesError
from vestigo.explaining.check.facts import Facts, OfLookup
from vestigo.measures import MEASURES
from vestigo.rounding import at_least
from vestigo.rules import Aim, Plan
from vestigo.trace import Op
from vestigo.units import SECOND, Duration, format_seconds, format_share

_PARTS = 48
_MOVES = 0.005
_SETTLED = 2.0
_FEWEST_NEW = 20
"""First reads. Fewer make no cold start."""
_A_POINT = 0.01
"""What moves the aim, or a look-up's hit rate, by no more is not worth a word."""
_OF_LIFETIME = 0.1
"""Loads that take a larger share of the lifetime may make a difference."""


def advice(facts: Facts, aim: Aim) -> list[str]:
    """Sentences, each borne out by a replay."""
    return [*_warm_up(facts, aim), *_lifetimes_begin(facts)]


def _warm_up(facts: Facts, aim: Aim) -> Iterator[str]:
    """Says what a longer warm-up would give, if that moves the aim."""
    longer = cold_start(facts)
    if longer is None:
        return
    name = aim.best if aim.best and MEASURES[aim.best].kind == "share" else "hit_rate"
    try:
        then = run(job(facts.trace, dataclasses.replace(facts.plan, warm_up=longer)), "warm")
    except RulesError:  # it leaves nothing to count
        return
    now, warm = float(facts.today.amount(name)), float(getattr(then, name))
    if abs(warm - now) > _A_POINT:
        yield (
            f"the cold start is counted: with warm_up = {longer} in [trace], {MEASURES[name].label} is "
            f"{format_share(warm)} instead of {format_share(now)}"
        )


def cold_start(facts: Facts) -> Duration | None:
    """The warm-up that would leave out the cold start: the time at the beginning in which many reads are first reads
    only because the trace begins there. None if there is no such time.
    """
    trace, first = facts.trace, facts.job.event_of(facts.job.first_counted)
    reads = np.flatnonzero(trace.op == Op.READ)
    counted = reads[reads >= first]
    if len(counted) < _PARTS:
        return None
    is_new, first_reads = np.zeros(len(trace), bool), np.full(len(trace.keys), -1)
    first_reads[trace.key[reads[::-1]]] = reads[::-1]  # of several rows of a key, the last one named stays
    is_new[first_reads[first_reads >= 0]] = True
    begins = int(trace.at[first])
    width = max((int(trace.at[-1]) - begins) // _PARTS, 1)
    part = np.minimum((trace.at[counted] - begins) // width, _PARTS - 1)
    number = np.bincount(part, minlength=_PARTS)
    new = np.bincount(part, is_new[counted], minlength=_PARTS)
    late = new[_PARTS // 2 :].sum() / max(number[_PARTS // 2 :].sum(), 1)
    here = np.divide(new, number, out=np.full(_PARTS, late), where=number > 0)
    cold = int(np.argmax(here <= _SETTLED * late + _MOVES))
    return at_least(begins - int(trace.at[0]) + width * cold) if cold and new[:cold].sum() >= _FEWEST_NEW else None


def _lifetimes_begin(facts: Facts) -> Iterator[str]:
    """Says where loads take so long that it matters whether lifetimes run from the load's beginning or its end."""
    for of in facts.lookups():
        if lifetime := _short_beside_loads(of):
            other = "asked" if of.rules.lifetime_from == "stored" else "stored"
            then = _hit_rate(facts.plan, facts, of, {of.key("lifetime_from"): other})
            now = float(of.counts.hit_rate)
            if then is not None and abs(then - now) > _A_POINT:
                rule, span = lifetime
                yield (
                    f"loads of {of.name} take {format_seconds(of.traits.cost_p50)}, and {rule} is {span}: it matters "
                    f"from when on your cache counts. With lifetime_from = {other} its hit rate is "
                    f"{format_share(then)} instead of {format_share(now)}"
                )


def _short_beside_loads(of: OfLookup) -> tuple[str, Duration] | None:
    """The shortest lifetime, if usual loads take a good part of it."""
    spans = {"absolute": of.rules.absolute, "sliding": of.rules.sliding, "nulls": of.rules.nulls.lifetime}
    stated = [(span, rule) for rule, span in spans.items() if span is not None]
    if not stated:
        return None
    span, rule = min(stated)
    return (rule, span) if of.traits.cost_p50 * SECOND > _OF_LIFETIME * span else None


def _hit_rate(plan: Plan, facts: Facts, of: OfLookup, changes: Mapping[str, object]) -> float | None:
    try:
        asked = job(facts.trace, plan.changed(changes))
    except RulesError:
        return None
    return run(asked, "other").lookups[of.name].hit_rate
