"""What counters say of a running cache, by the look-ups of a trace, beside what a replay predicts."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vestigo.errors import InputError
from vestigo.explaining.confirm.confirmation import Compared
from vestigo.explaining.confirm.counters import Counters
from vestigo.explaining.confirm.predicted import Prediction, Time
from vestigo.explaining.confirm.windows import Pair, Rate
from vestigo.trace import Trace
from vestigo.units import SECOND, counted, format_seconds, format_time

_GAUGE_MAY_BE_OFF = 0.1
"""In parts of what is predicted."""
_COUNT_MAY_BE_OFF = 0.02
"""In counts for each read, which are not resampled."""
FEW = 0.005
"""In parts of all reads: a look-up with fewer is not judged by itself."""
_WEIGHT_OF_ENTRIES = 0.1
_AT_ONCE = 0.01
"""In parts of the time that was counted: what begins so soon before or after it begins with it."""


@dataclass(frozen=True)
class Measured:
    """What the counters say, by the look-ups of the trace."""

    counters: Counters
    trace: Trace
    time: Time

    @property
    def lookups(self) -> list[str]:
        return [name for name in self.trace.lookups if name in self.counters.lookups]

    @cached_property
    def hits(self) -> dict[str | None, Rate]:
        """Hits and reads between each two scrapes, by look-up, and under None for all."""
        rates = rates_of(self.counters)
        return {name: rates[name] for name in (None, *self.lookups) if name in rates}

    def check(self) -> None:
        """Raises InputError for counters that cannot be those of a cache that was read."""
        begin, end = (format_time(int(one)) for one in self.counters.at_ns[[0, -1]])
        hits, reads = float(self.hits[None].some.sum()), float(self.hits[None].of.sum())
        if not reads:
            raise InputError(
                f"counters: no read was counted between {begin} and {end}; give scrapes of a time with reads"
            )
        if hits > reads:
            raise InputError(
                f"counters: they say {hits:,.0f} hits in {reads:,.0f} reads; name both in the plan's [counters]"
            )

    def per_read(self, counter: str, lookup: str | None) -> float | None:
        rises, reads = self.counters.rises(counter, lookup), _reads(self.counters, lookup)
        return None if rises is None or reads is None or not reads.sum() else float(rises.sum() / reads.sum())

    def compared(self, predicted: Prediction, tolerated: float) -> Iterator[Compared]:
        """The rates of all look-ups together, then of each look-up that is read often enough to be judged."""
        judged = [name for name in self.hits if self._is_judged(predicted, name)]
        for name in judged:
            own, of = self.hits[name], predicted.hits[name]
            interval = Pair(own, of, self.time.is_paired).difference(len(judged))
            more_than_chance = not interval[0] <= 0 <= interval[1]
            difference = (own.whole or 0) - (of.whole or 0)
            differs = more_than_chance and abs(difference) > tolerated
            yield Compared("hit_rate", name, own.whole or 0, of.whole or 0, interval, differs)
            yield from self._others(predicted, name, tolerated)

    def _is_judged(self, predicted: Prediction, name: str | None) -> bool:
        """Whether a look-up is read often enough."""
        of, own = predicted.hits.get(name), self.hits[name]
        if of is None or not of.of.sum() or not own.of.sum():
            return False
        return name is None or bool(of.of.sum() >= FEW * predicted.hits[None].of.sum())

    def _others(self, predicted: Prediction, name: str | None, tolerated: float) -> Iterator[Compared]:
        outcome = predicted.outcome if name is None else predicted.outcome.lookups[name]
        for counter in ("loads", "evictions"):
            own = self.per_read(counter, name)
            if own is not None and outcome.reads:
                expected = getattr(outcome, counter) / outcome.reads
                differs = abs(own - expected) > max(tolerated, _COUNT_MAY_BE_OFF)
                yield Compared(counter, name, own, expected, None, differs)
        for gauge, measure in (("entries", "entries_peak"), ("bytes", "memory_peak")):
            most = self.counters.most(gauge, name)
            if most is not None:
                expected = float(getattr(outcome, measure))
                differs = abs(most - expected) > _GAUGE_MAY_BE_OFF * max(expected, 1)
                yield Compared(gauge, name, most, expected, None, differs)

    def off(self, predicted: Prediction) -> float:
        """How far a prediction is from what was measured."""
        hits = self.hits
        named: list[str | None] = [name for name in hits if name is not None and predicted.hits[name].of.sum()]
        judged = named or [None]
        reads = sum(float(hits[name].of.sum()) for name in judged) or 1.0
        total = sum(
            float(hits[name].of.sum()) / reads * abs((hits[name].whole or 0) - predicted.hit_rate(name))
            for name in judged
        )
        evictions, entries = self.per_read("evictions", None), self.counters.most("entries", None)
        if evictions is not None and (outcome := predicted.outcome).reads:
            total += abs(evictions - outcome.evictions / outcome.reads)
        if entries is not None:
            expected = float(predicted.outcome.entries_peak)
            total += _WEIGHT_OF_ENTRIES * abs(entries - expected) / max(entries, expected, 1.0)
        return total

    def off_by_lookup(self, predicted: Prediction) -> dict[str, float]:
        return {
            name: abs((own.whole or 0) - predicted.hit_rate(name))
            for name, own in self.hits.items()
            if name is not None
        }

    def notes(self, predicted: Prediction) -> list[str]:
        sentences = []
        begin, end = (int(one) for one in self.counters.at_ns[[0, -1]])
        if not self.time.is_same:
            span = f"{format_time(begin)} to {format_time(end)}"
            sentences.append(f"trace and counters cover different times; counters: {span}")
        else:
            late = int(self.trace.at[0]) - begin
            if abs(late) <= _AT_ONCE * (end - begin):
                sentences.append("the trace begins with the counting, with an empty cache")
            elif late > 0:
                sentences.append(
                    f"the trace begins {format_seconds(late / SECOND)} after the counting, with an empty cache"
                )
        if self.counters.restarts:
            sentences.append(
                f"counters fell to zero {counted(self.counters.restarts, 'time')}: the service was restarted"
            )
        unknown = [name for name in self.counters.lookups if name not in self.trace.lookups]
        if unknown:
            sentences.append(f"the trace has no look-up {', '.join(unknown)}, which the counters name")
        if self.time.is_same:
            times = self.hits[None].of.sum() / predicted.hits[None].of.sum()
            if not 0.9 <= times <= 1.1:
                sentences.append(
                    f"the service had {times:.2g} times as many reads as the trace; only rates are compared"
                )
        return sentences


def rates_of(counters: Counters) -> dict[str | None, Rate]:
    """Hits and reads between each two scrapes, by look-up, and under None for all."""
    rates: dict[str | None, Rate] = {}
    for name in (None, *counters.lookups):
        hits, reads = counters.rises("hits", name), _reads(counters, name)
        if hits is not None and reads is not None:
            rates[name] = Rate(hits, reads)
    return rates


def _reads(counters: Counters, lookup: str | None) -> np.ndarray | None:
    reads = counters.rises("reads", lookup)
    if reads is not None:
        return reads
    hits, misses = (counters.rises(name, lookup) for name in ("hits", "misses"))
    return None if hits is None or misses is None else hits + misses
