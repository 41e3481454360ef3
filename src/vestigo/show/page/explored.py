"""What the page with knobs receives, as plain data: the numbers and lines of a replay, and what they are compared
with.
"""

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from vestigo.choosing.estimate import Estimate
from vestigo.choosing.explorer import Surroundings
from vestigo.data import Told
from vestigo.engine.size_curve import SizeCurve
from vestigo.measures import MEASURES, Measure, amount_of, is_told
from vestigo.outcome import CAUSES, Measures, Outcome
from vestigo.outcome.counts import WORDS, Counts
from vestigo.rules import Plan, PoolRules
from vestigo.show.charts.candidates import measure_of_hits
from vestigo.show.charts.over_time import CHARTS, Memory, course
from vestigo.show.page.charts import stepped
from vestigo.show.safe import printable
from vestigo.units import format_share, three_digits

SHOWN = (
    *("hit_rate", "fresh_hit_rate", "stale_rate", "answer_age.mean", "answer_age.p95", "loads", "surge.minute"),
    *("read_time.mean", "read_time.p95", "time_saved", "memory_peak", "memory_mean", "evictions"),
    *("failed_rate", "slow_rate", "origin_wait.p95", "waiting_peak"),
)
"""The measures of the page."""
ALL = ""
"""Stands for all look-ups together."""
_MOST_LOOKUPS = 50
_CURVE_POINTS = 400
_TIMES = 10
"""From so many times as much on, it is said so."""


def measures_for(told: object) -> list[str]:
    """The measures that mean something of today's settings."""
    return [name for name in SHOWN if is_told(name, told)]


def lookups_of(outcome: Outcome) -> list[str]:
    """The look-ups whose numbers are shown: those that are read most."""
    by_reads = sorted(outcome.lookups, key=lambda name: -outcome.lookups[name].reads)
    return by_reads[:_MOST_LOOKUPS]


def replayed(outcome: Outcome, around: Surroundings, plan: Plan) -> Told:
    """What settings give, beside today's. `plan` is the plan that was replayed."""
    today = around.today
    names = measures_for(today)
    of = {ALL: (outcome, today)} | {
        name: (outcome.lookups[name], today.lookups[name]) for name in lookups_of(today) if name in outcome.lookups
    }
    settled = around.settled(plan)
    return {
        "numbers": {name: [_beside(one, *both) for one in names] for name, both in of.items()},
        "lines": lines_of(outcome, today),
        "causes": _causes(outcome),
        "point": point(outcome, today.stale_known),
        "rooms": {
            name: [_room(curve, settled.pool_rules(name)), outcome.lookups[name].hit_rate]
            for name, curve in around.curves.items()
            if name in of
        },
        "rests": [printable(said, most=300) for said in _rests(outcome)],
    }


def estimated(estimate: Estimate, today: Outcome) -> Told:
    """What a sample says, with its error. Measures that it cannot tell are empty."""
    return {"numbers": {ALL: _estimates(estimate, today, today)}}


def opened(estimate: Estimate, today: Estimate, told: object) -> Told:
    """The same while today's settings are known from a sample only. `told` says which measures mean something."""
    said = [text for text, *_ in _estimates(today, today, told)]
    beside = {ALL: {"today": said, "most": [""] * len(said)}}
    return {"numbers": {ALL: _estimates(estimate, today, told)}, "beside": beside}


def _estimates(estimate: Estimate, today: Outcome | Estimate, told: object) -> list[list[object]]:
    rows: list[list[object]] = []
    for name in measures_for(told):
        if name not in estimate.told:
            rows.append(["", "", 0])
            continue
        what, amount = MEASURES[name], getattr(estimate, name)
        said = f"{what.amount_text(amount)} ± {what.amount_text(estimate.errors[name])}"
        rows.append([said, *_beside_amount(what, amount, float(amount_of(today, name)))])
    return rows


def surroundings(around: Surroundings) -> Told:
    """What settings are compared with: today's numbers, the ceilings, and the curve of each look-up."""
    today, lookups, plan = around.today, lookups_of(around.today), around.settled(around.plan)
    names, curves = measures_for(today), {name: around.curves[name] for name in lookups}

    def written(outcome: Outcome, lookup: str, only: Collection[str] = names) -> list[str]:
        found = outcome if lookup == ALL else outcome.lookups[lookup]
        return [MEASURES[one].amount_text(float(amount_of(found, one))) if one in only else "" for one in names]

    def beside(lookup: str) -> dict[str, list[str]]:
        each = (written(found, lookup, (name,)) for name, found in around.ceilings.items())
        return {"today": written(today, lookup), "most": ["".join(texts) for texts in zip(*each, strict=True)]}

    return {
        "name": repr(around.plan.what_if),
        "beside": {name: beside(name) for name in (ALL, *lookups)},
        "lines": lines_of(today, today),
        "causes": _causes(today),
        "point": point(today, today.stale_known),
        "curves": {name: curve_points(curve) for name, curve in curves.items()},
        "rooms": {
            name: [_room(curve, plan.pool_rules(name)), today.lookups[name].hit_rate] for name, curve in curves.items()
        },
    }


def point(found: Counts, stale_known: bool) -> list[float]:
    """The place of an outcome, or a candidate, in the front: its memory and its hits."""
    return [found.memory_peak, getattr(found, measure_of_hits(stale_known))]


def _beside(name: str, now: Measures, today: Measures) -> list[object]:
    what, amount = MEASURES[name], float(amount_of(now, name))
    return [what.amount_text(amount), *_beside_amount(what, amount, float(amount_of(today, name)))]


def _beside_amount(what: Measure, now: float, today: float) -> list[object]:
    """The difference from today's in words, and whether it is better (1), worse (-1) or neither (0)."""
    better = what.better(now, today)
    if not better:
        return ["", 0]
    if what.kind == "share":
        return [f"{'+' if now > today else '-'}{three_digits(abs(now - today) * 100)} points", better]
    if not today:
        return ["", better]
    if now > _TIMES * today:
        return [f"{three_digits(now / today)} times", better]
    return [f"{'+' if now > today else '-'}{three_digits(abs(now / today - 1) * 100)} %", better]


def lines_of(outcome: Outcome, today: Outcome) -> Told:
    """The lines over time, with the corners of steps. Memory has the unit that suits today's."""
    if not len(outcome.slices):
        return {name: [] for name in ("x", *CHARTS)}
    drawn: Told = {}
    for name, measure in CHARTS.items():
        edges, amounts = course(outcome.slices, measure)
        heights = np.nan_to_num(amounts) / (Memory.of(today).bytes if measure == "memory_peak" else 1)
        x, y = stepped(edges / 1e6, np.append(heights, heights[-1]))
        drawn |= {"x": x.tolist(), name: y.tolist()}
    return drawn


def _causes(outcome: Outcome) -> list[list[object]]:
    reads = max(outcome.reads, 1)
    each = ((cause, outcome.misses_by_cause[cause]) for cause in CAUSES)
    return [[WORDS[cause].label, count / reads, format_share(count / reads)] for cause, count in each]


def _room(curve: SizeCurve, limits: PoolRules) -> int | None:
    """The place of today's or other limits on a curve of bytes."""
    return replace(curve, max_entries=limits.max_entries, max_bytes=limits.max_bytes).limit_bytes


def curve_points(curve: SizeCurve) -> list[list[float]]:
    """Sizes in bytes, and the hit rate at each."""
    if not len(curve.bytes) or not curve.reads:
        return [[], []]
    sizes, hits = curve.exact_bytes
    ends = np.unique(np.linspace(0, len(sizes) - 1, _CURVE_POINTS).astype(int))
    return [sizes[ends].tolist(), (hits[ends] / curve.reads).tolist()]


def _rests(outcome: Outcome) -> list[str]:
    whose = [f"Replayed: {outcome.whose}"] if outcome.whose else []
    return [*whose, *outcome.assumptions]
