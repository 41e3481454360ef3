"""``Costs``: what entries and hits of a driven cache take, as it was measured."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from vestigo.data import Data
from vestigo.describing.hit_times import HitTimes, hit_times
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.explaining.drive.answers import Given, Marks
from vestigo.explaining.drive.offered import Offered
from vestigo.explaining.drive.scales import Weights
from vestigo.interval import Interval
from vestigo.prepared.counting import slicing
from vestigo.rules import Plan
from vestigo.trace import Trace
from vestigo.trace.columns import MISSING
from vestigo.units import counted, format_bytes, format_share

_SLICES = 5_000
_STRETCHES, _FEWEST = 40, 12
_ALIKE = 0.95
"""A replay that answers fewer of the reads as the cache does cannot say how many entries the cache holds."""
_WIDEST = 0.5
"""The interval reaches no further than this share of the amount to each side, or nothing is told."""


@dataclass(frozen=True, eq=False, repr=False)
class Costs(Data):
    """What entries and hits of a driven cache take, as it was measured: what the rules of the same names state."""

    memory_grew: int | None = None
    """By how many bytes at most while the cache was driven. None where nobody looked."""
    entry_overhead: Interval | None = None
    """The bytes of an entry beyond its value. None if that could not be told."""
    hits: HitTimes | None = None
    """None if nobody timed them, or if they are too few."""
    untold: tuple[str, ...] = ()
    """What could not be told, and why, in sentences."""

    @property
    def rules(self) -> Mapping[str, object]:
        """The rules that state what was measured, as a plan takes them."""
        told: dict[str, object] = {}
        if self.entry_overhead is not None:
            told["entry_overhead"] = max(round(self.entry_overhead.value), 0)
        return told if self.hits is None else {**told, **self.hits.rules}


def costs_of(offered: Offered, given: Given, driven: Marks, plan: Plan, alike: float) -> Costs:
    """What was measured of a cache that answered this share of the reads as the replay of the plan does."""
    weights, hits = given.weights, _hits(offered, given, driven)
    if weights is None or not len(weights.bytes):
        why = ("bytes an entry: the memory of a process can be looked at on Linux only",)
        return Costs(hits=hits, untold=why if given.events else ())
    grew = int((weights.bytes - weights.bytes[0]).max())
    told = _overhead(offered.trace, given, weights, plan, alike)
    return Costs(grew, None, hits, (told,)) if isinstance(told, str) else Costs(grew, told, hits)


def _hits(offered: Offered, given: Given, driven: Marks) -> HitTimes | None:
    if given.took_ns is None:
        return None
    rows = driven.rows[driven.hit]
    rows = rows[given.took_ns[rows] != MISSING]
    return hit_times(given.took_ns[rows], offered.size[given.value[rows]] if given.holds_values else None)


def _overhead(trace: Trace, given: Given, weights: Weights, plan: Plan, alike: float) -> Interval | str:
    """The bytes of an entry, or why they cannot be told."""
    if alike < _ALIKE:
        return (
            f"bytes an entry: the settings explain only {format_share(alike)} of the answers, so nobody knows how many "
            "entries the cache held; let --find look for its settings"
        )
    overheads = {rules.entry_overhead for rules in plan.all_rules()}
    if given.holds_values and len(overheads) > 1:
        return "bytes an entry: look-ups state different values of entry_overhead; leave them out, and drive it again"
    entries, total = _held(trace, plan, weights)
    values = entries * given.stand_in_bytes
    if given.holds_values:
        values += total - entries * overheads.pop()
    found = _slope(weights.bytes - values, entries, weights.events)
    if found is None:
        return f"bytes an entry: a trace of {counted(len(trace), 'event')} says too little; drive a longer one"
    if found.high - found.value > _WIDEST * found.value:
        return _too_rough(found, weights, round(entries.max()))
    return found


def _too_rough(found: Interval, weights: Weights, entries: int) -> str:
    low, high = (format_bytes(max(bound, 0)) for bound in (found.low, found.high))
    grew, held = format_bytes(int(np.ptp(weights.bytes))), counted(entries, "entry", "entries")
    what = "what it says that it holds" if weights.by_itself else "the memory of its process"
    other = "" if weights.by_itself else ", or let it say what it holds (docs/drive.md: weigh)"
    return (
        f"bytes an entry: {low} to {high} would go with {what}, which is too rough: that moved by {grew}, not for the "
        f"{held} alone. Drive the cache with larger limits on a trace with more keys{other}"
    )


def _held(trace: Trace, plan: Plan, weights: Weights) -> tuple[np.ndarray, np.ndarray]:
    """How many entries, and bytes, the replay holds after so many events. The memory that a process has once taken, it
    keeps, so for that it is the most until then.
    """
    asked = job(trace, replace(plan, warm_up=0), instant=True)
    slices = run(replace(asked, slicing=slicing(trace, 0, _SLICES)), "").slices
    ends = np.searchsorted(trace.at, slices.column("ends_ns"))

    def until_then(name: str) -> np.ndarray:
        held = np.array(slices.column(name))
        most = held if weights.by_itself else np.maximum.accumulate(held)
        by_then: np.ndarray = np.interp(weights.events, [0, *ends], [0, *most])
        return by_then

    return until_then("entries_peak"), until_then("memory_peak")


def _slope(amount: np.ndarray, entries: np.ndarray, events: np.ndarray) -> Interval | None:
    """How much the amount grows for each entry, apart from how it grows for each event, by how all three grow in
    stretches. Growth is compared, because what comes and goes in a process lets its memory wander. Errors that differ
    from stretch to stretch are allowed for (J. G. MacKinnon, H. White, 1985: HC3).
    """
    way = sum(np.abs(np.diff(one, prepend=one[0])).cumsum() / max(np.ptp(one), 1) for one in (entries, events))
    chosen = np.unique(np.searchsorted(way, np.linspace(0, way[-1], _STRETCHES + 1)))  # each with its share of both
    grown = np.diff(amount[chosen]).astype(float)
    causes = np.stack([np.diff(entries[chosen]), np.diff(events[chosen])], axis=1).astype(float)
    if len(grown) < _FEWEST or np.linalg.matrix_rank(causes) < causes.shape[1]:
        return None
    inverse = np.linalg.inv(causes.T @ causes)
    slopes = inverse @ causes.T @ grown
    leverage = np.einsum("ij,jk,ik->i", causes, inverse, causes)
    off = (grown - causes @ slopes) / np.maximum(1 - leverage, 1e-9)
    spread = inverse @ (causes.T * off**2) @ causes @ inverse
    return Interval.with_error(float(slopes[0]), float(np.sqrt(spread[0, 0])), len(grown) - 2)
