"""What each difference between two recordings does to the prediction, by replay.

What one recording has more of is taken away from it, trait by trait, until both have as much. Only of keys the other
one gets more, by splitting its own. What a step gives is its effect. What still differs then is the order of reads and
which keys they ask for. So the effects of a look-up add up to its whole difference, and with the shares that look-ups
have of the reads, to that of the prediction.
"""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from vestigo.choosing.finding.units import shares_of
from vestigo.engine.job import Job, job
from vestigo.engine.parts import Share
from vestigo.engine.replay import replay_alone
from vestigo.engine.what_if import applied
from vestigo.explaining.drift import altered
from vestigo.explaining.drift.traits import MINUTE_NS, Amounts, Stretches, traits, width_for
from vestigo.outcome import Measures
from vestigo.progress import Progress
from vestigo.rules import Plan
from vestigo.rules.only import only
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs

RATES: Mapping[str, Callable[[Measures], int]] = {
    "hit_rate": lambda counted: counted.hits,
    "fresh_hit_rate": lambda counted: counted.hits - counted.stale_hits,
    "stale_rate": lambda counted: counted.stale_hits,
}
"""The measures that can be explained, and what of the reads each counts."""
MIX, ORDER = "mix", "order"
_ALIKE = 0.02
"""A trait that differs by a smaller share is left to what is told at the end."""
_LEAST = 0.01
"""A look-up with a smaller share of the keys, reads or changes of the other is not cut down so far."""


@dataclass(frozen=True, eq=False)
class Recording:
    """A recording and what it is replayed with."""

    trace: Trace
    plan: Plan
    stretches: Stretches
    length_ns: int
    """The time that both recordings have. Keys are counted in it, because a longer recording has more of them."""

    @classmethod
    def both(cls, before: Trace, after: Trace, plan: Plan) -> tuple["Recording", "Recording"]:
        """Two recordings with the same settings. Raises RulesError if these do not fit one."""
        width_ns = width_for(before, after) or MINUTE_NS
        length_ns = min(before.span_ns, after.span_ns)
        sides = [applied(one, only(plan, one.lookups)) for one in (before, after)]
        some, other = (cls(on, settled, Stretches.of(on, width_ns), length_ns) for on, settled in sides)
        return some, other

    @property
    def units(self) -> list[tuple[str, ...]]:
        """The names of look-ups that are replayed together."""
        return [tuple(self.trace.lookups[number] for number in one.part.lookups) for one in self._shares]

    def number_of(self, lookup: str) -> int:
        return self.trace.lookups.index(lookup)

    def counted(self, names: Collection[str]) -> Measures | None:
        """What the unit of these look-ups gives. None if the recording has none of them."""
        numbers = {self.number_of(name) for name in names if name in self.trace.lookups}
        share = next((one for one in self._shares if not numbers.isdisjoint(one.part.lookups)), None)
        if share is None:
            return None
        return replay_alone(self._job, share, int(self.trace.at[-1])).whole

    def mean(self, lookup: str, trait: str) -> float:
        """The mean of a trait over the stretches that have it, or the number of keys in the time that both have."""
        if trait == _KEYS:
            return float(self._keys(self.number_of(lookup)))
        amounts = self.traits(lookup)[trait]
        return float(np.nanmean(amounts)) if not np.isnan(amounts).all() else 0.0

    def traits(self, lookup: str) -> Mapping[str, Amounts]:
        """What a look-up is like in each stretch. It is worked out once."""
        if lookup not in self._traits:
            self._traits[lookup] = traits(self.trace, self.number_of(lookup), self.stretches)
        return self._traits[lookup]

    def given(self, lookup: str, column: str) -> Longs:
        """What a column gives for the reads of a look-up."""
        amounts: Longs = getattr(self.trace, column)
        of_reads = (self.trace.lookup == self.number_of(lookup)) & (self.trace.op == Op.READ) & (amounts >= 0)
        found: Longs = amounts[of_reads]
        return found

    def with_trace(self, trace: Trace) -> "Recording":
        return Recording(trace, self.plan, self.stretches, self.length_ns)

    def _keys(self, number: int) -> int:
        trace = self.trace
        counted = trace.block(0, int(np.searchsorted(trace.at, trace.at[0] + self.length_ns, "right")))
        return len(np.unique(counted.key[(counted.lookup == number) & (counted.op == Op.READ)]))

    @cached_property
    def _job(self) -> Job:
        return job(self.trace, self.plan)

    @cached_property
    def _shares(self) -> list[Share]:
        return shares_of(self._job)

    @cached_property
    def _traits(self) -> dict[str, Mapping[str, Amounts]]:
        return {}


class Effect(NamedTuple):
    """What a difference does to the prediction."""

    lookup: str
    trait: str
    """What differs: ``nulls``, ``keys``, ``reads``, ``changes``, ``sizes``, ``origin``; ``order`` for what is left; or
    ``mix`` for the share that the look-up has of all reads.
    """
    before: float
    after: float
    """The trait. For ``order``, the rate itself once all else is alike. For ``mix``, the share."""
    gain: float
    """What it adds to the rate."""


_KEYS = "keys"
_EVEN: Mapping[str, Callable[[Trace, int, float], Trace]] = {
    "nulls": altered.fewer_nulls,
    _KEYS: altered.more_keys,
    "reads": altered.fewer_reads,
    "changes": altered.fewer_changes,
}
"""How to give both recordings as much of a trait, in this order: the one that has more gets a share of it. Of keys, the
one that has fewer gets so many times as many.
"""
_LIKE: Mapping[str, tuple[Callable[[Trace, int, Longs], Trace], str]] = {
    "sizes": (altered.sizes_like, "size"),
    "origin": (altered.costs_like, "cost"),
}
"""How to give the later recording the amounts of the earlier one, and the column of these."""


def effects(before: Recording, after: Recording, rate: str, report: Progress) -> list[Effect]:
    """The effects of all look-ups, the largest first. They add up to the difference of the rate."""
    units = _units(before, after)
    ways = []
    for done, names in enumerate(units, 1):
        ways.append(_Way(before, after, names, rate))
        report("what look-ups changed", done, len(units))
    totals = [_rate([way.ends[side] for way in ways], rate) for side in (0, 1)]
    found = [effect for way in ways for effect in _weighted(way, ways, sum(totals) / 2)]
    return sorted((one for one in found if one.gain), key=lambda one: -abs(one.gain))


def _units(before: Recording, after: Recording) -> list[tuple[str, ...]]:
    """The look-ups of both recordings, those together that share a pool or an origin's places."""
    units = [one.units for one in (after, before)]
    known = {name for names in units[0] for name in names}
    of_before = {name: names for names in units[1] for name in names}
    joined = [
        tuple(dict.fromkeys([*names, *(more for name in names for more in of_before.get(name, ()))]))
        for names in units[0]
    ]
    return [*joined, *(names for names in units[1] if known.isdisjoint(names))]


class _Way:
    """How a unit of the earlier recording becomes that of the later one, step by step."""

    def __init__(self, before: Recording, after: Recording, names: Sequence[str], rate: str) -> None:
        self.names, self._rate_name = names, rate
        self._sides = before, after
        self.ends = before.counted(names), after.counted(names)
        self._rates = [_rate([counted], rate) for counted in self.ends]
        self.rates = tuple(self._rates)
        self.steps: list[Effect] = []
        if all(counted is not None and counted.reads for counted in self.ends):
            for name in names:
                self._make_alike(name)
            low, high = self._rates
            self.steps.append(Effect(", ".join(names), ORDER, low, high, high - low))

    @property
    def reads(self) -> tuple[int, int]:
        some, other = (counted.reads if counted is not None else 0 for counted in self.ends)
        return some, other

    def _make_alike(self, name: str) -> None:
        if any(name not in one.trace.lookups for one in self._sides):
            return
        for trait, altered_by in _EVEN.items():
            amounts = [one.mean(name, trait) for one in self._sides]
            more = int(amounts[1] > amounts[0])
            share = _share_left(trait, amounts[1 - more], amounts[more])
            if _LEAST < share < 1 - _ALIKE:
                side, amount = (1 - more, 1 / share) if trait == _KEYS else (more, share)
                now = self._sides[side]
                self._step(name, trait, amounts, side, altered_by(now.trace, now.number_of(name), amount))
        for trait, (like, column) in _LIKE.items():
            amounts = [one.mean(name, trait) for one in self._sides]
            if max(amounts) > 0 and min(amounts) < (1 - _ALIKE) * max(amounts):
                some, other = self._sides
                given = some.given(name, column)
                self._step(name, trait, amounts, 1, like(other.trace, other.number_of(name), given))

    def _step(self, name: str, trait: str, amounts: Sequence[float], side: int, trace: Trace) -> None:
        """Goes on with another trace on one side."""
        now = self._sides[side].with_trace(trace)
        counted = now.counted(self.names)
        if counted is None or not counted.reads:
            return
        rate, before = _rate([counted], self._rate_name), self._rates[side]
        gain = before - rate if side else rate - before
        self._sides = (self._sides[0], now) if side else (now, self._sides[1])
        self._rates[side] = rate
        self.steps.append(Effect(name, trait, amounts[0], amounts[1], gain))


def _weighted(way: _Way, ways: Sequence[_Way], middle: float) -> Iterator[Effect]:
    """The steps of a unit by its share of the reads, and what it does that this share is another one. Half of what
    both do together belongs to each.
    """
    shares = [way.reads[side] / max(sum(one.reads[side] for one in ways), 1) for side in (0, 1)]
    for step in way.steps:
        yield step._replace(gain=step.gain * sum(shares) / 2)
    there = [rate for rate, reads in zip(way.rates, way.reads, strict=True) if reads]
    own = sum(there) / max(len(there), 1)
    yield Effect(", ".join(way.names), MIX, shares[0], shares[1], (shares[1] - shares[0]) * (own - middle))


def _share_left(trait: str, less_of: float, more_of: float) -> float:
    """How much is to be left of what there is more of. Reads without nulls stay, so of nulls more has to go."""
    if more_of <= 0:
        return 1.0
    return (
        less_of * (1 - more_of) / (more_of * (1 - less_of)) if trait == "nulls" and less_of < 1 else less_of / more_of
    )


def _rate(counted: Sequence[Measures | None], rate: str) -> float:
    there = [one for one in counted if one is not None]
    return sum(RATES[rate](one) for one in there) / max(sum(one.reads for one in there), 1)
