"""``confirm``: is life as the replay of the plan predicted? If not, what explains it?"""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np

from vestigo.engine import what_if
from vestigo.engine.context import assumptions
from vestigo.engine.job import job
from vestigo.errors import InputError
from vestigo.prepared.counting import first_counted
from vestigo.rules import Plan
from vestigo.rules.settings import Settings, argument, plan_of, trace_of
from vestigo.rules.vary import changed
from vestigo.study.confirm.counters import Counters, read_counters
from vestigo.study.confirm.predicted import Prediction, Time, predict
from vestigo.study.confirm.result import Compared, Confirmation, Try
from vestigo.study.confirm.tries import Otherwise, is_of_pools, otherwise, refined
from vestigo.study.confirm.windows import Pair, Rate
from vestigo.study.everywhere import keys_for
from vestigo.trace import Readable, Trace
from vestigo.units import SECOND, counted, format_seconds, format_time, parse_share

_GAUGE_MAY_BE_OFF = 0.1
"""In parts of what is predicted."""
_FEW = 0.005
"""In parts of all reads: a look-up with fewer is not judged by itself."""
_WEIGHT_OF_ENTRIES = 0.1
_FINER = tuple(Fraction(text) for text in ("3/2", "6/5", "11/10", "21/20"))
_SHOWN = 6
_EXPLAINS = 0.9
"""What leaves more of the difference explains nothing."""
_Progress = Callable[[str], None]


def confirm(
    trace: Readable,
    settings: Settings,
    counters: Any,
    *,
    tolerate: str = "1%",
    progress: _Progress = lambda _: None,
) -> Confirmation:
    """Holds counters of a running cache against what its settings were predicted to give on a trace of the same time.

    `counters` are files or records as `read_counters` takes them, or what that gave; the plan's `life` says which of
    them is what. Rates are compared over the time between the first scrape and the last, what the trace has before is
    replayed and not counted. A rate differs if that is more than chance, by resampled time, and more than `tolerate`,
    in parts of the reads. If any does, what would explain it is looked for by replay.

    Raises InputError for counters that say nothing, and RulesError if the settings do not fit the trace.

    >>> import vestigo as vg
    >>> trace = vg.synth(reads=1000, keys=50, seed=1)
    >>> life = vg.replay(trace, vg.Rules(max_entries=10))
    >>> begin, end = int(trace.at[0]) / 1e9, (int(trace.at[-1]) + 1) / 1e9
    >>> counted = [{"at": begin, "hits": 0, "misses": 0}, {"at": end, "hits": life.hits, "misses": life.misses}]
    >>> vg.confirm(trace, vg.Rules(max_entries=10), counted).is_as_predicted
    True
    >>> vg.confirm(trace, vg.Rules(max_entries=20), counted).tries[0].what
    'max_entries = 10 is in force'
    """
    share = float(argument("tolerate", parse_share, tolerate))
    stated = plan_of(settings)
    on, plan = what_if.applied(trace_of(trace, stated), stated)
    known = counters if isinstance(counters, Counters) else read_counters(counters, stated.life)
    time = Time.of(on, known.at_ns, first_counted(on, plan.warm_up))
    progress("replaying the settings")
    today = predict(on, plan, time)
    if not today.hits[None].of.sum():
        raise InputError(
            f"the trace has no reads between {format_time(int(known.at_ns[0]))} and "
            f"{format_time(int(known.at_ns[-1]))}, when the counters were read; give one of that time"
        )
    life = _Life(known, on, time)
    compared = list(life.compared(today, share))
    tries: list[Try] = []
    if any(one.differs for one in compared):
        progress("looking for what explains life")
        tries = _tries(on, plan, time, life, today)
    return Confirmation(
        compared=compared,
        off=life.off(today),
        tries=tries,
        reads=(float(life.hits[None].of.sum()), float(today.hits[None].of.sum())),
        seconds=(int(known.at_ns[-1]) - int(known.at_ns[0])) / SECOND,
        scrapes=len(known.at_ns),
        settings=plan,
        notes=(*life.notes(today), *assumptions(on, job(on, plan))),
    )


@dataclass(frozen=True)
class _Life:
    """What the counters say, in the look-ups of the trace."""

    counters: Counters
    trace: Trace
    time: Time

    @property
    def lookups(self) -> list[str]:
        return [name for name in self.trace.lookups if name in self.counters.lookups]

    @property
    def hits(self) -> dict[str | None, Rate]:
        """By look-up, and under None of all: hits of reads, between each two scrapes."""
        found: dict[str | None, Rate] = {}
        for name in (None, *self.lookups):
            hits, reads = self.counters.rises("hits", name), self._reads(name)
            if hits is not None and reads is not None:
                found[name] = Rate(hits, reads)
        return found

    def _reads(self, lookup: str | None) -> np.ndarray | None:
        reads = self.counters.rises("reads", lookup)
        if reads is not None:
            return reads
        hits, misses = (self.counters.rises(name, lookup) for name in ("hits", "misses"))
        return None if hits is None or misses is None else hits + misses

    def per_read(self, counter: str, lookup: str | None) -> float | None:
        rises, reads = self.counters.rises(counter, lookup), self._reads(lookup)
        return None if rises is None or reads is None or not reads.sum() else float(rises.sum() / reads.sum())

    def compared(self, predicted: Prediction, tolerated: float) -> Iterator[Compared]:
        """Of all look-ups, then of each that is read often enough to be judged."""
        for name, life in self.hits.items():
            of = predicted.hits.get(name)
            if of is None or not of.of.sum() or not life.of.sum():
                continue
            if name is not None and of.of.sum() < _FEW * predicted.hits[None].of.sum():
                continue
            interval = Pair(life, of, self.time.is_paired).difference()
            more_than_chance = not interval[0] <= 0 <= interval[1]
            difference = (life.whole or 0) - (of.whole or 0)
            differs = more_than_chance and abs(difference) > tolerated
            yield Compared("hit_rate", name, life.whole or 0, of.whole or 0, interval, differs)
            yield from self._others(predicted, name, tolerated)

    def _others(self, predicted: Prediction, name: str | None, tolerated: float) -> Iterator[Compared]:
        outcome = predicted.outcome if name is None else predicted.outcome.lookups[name]
        for counter in ("loads", "evictions"):
            life = self.per_read(counter, name)
            if life is not None and outcome.reads:
                told = getattr(outcome, counter) / outcome.reads
                yield Compared(counter, name, life, told, None, abs(life - told) > max(tolerated, 0.02))
        for gauge, measure in (("entries", "entries_peak"), ("bytes", "memory_peak")):
            most = self.counters.most(gauge, name)
            if most is not None:
                told = float(getattr(outcome, measure))
                differs = abs(most - told) > _GAUGE_MAY_BE_OFF * max(told, 1)
                yield Compared(gauge, name, most, told, None, differs)

    def off(self, predicted: Prediction) -> float:
        """How far a prediction is from life."""
        hits = self.hits
        named: list[str | None] = [name for name in hits if name is not None and predicted.hits[name].of.sum()]
        each = named or [None]
        reads = sum(float(hits[name].of.sum()) for name in each) or 1.0
        total = sum(
            float(hits[name].of.sum()) / reads * abs((hits[name].whole or 0) - predicted.hit_rate(name))
            for name in each
        )
        evictions, entries = self.per_read("evictions", None), self.counters.most("entries", None)
        outcome = predicted.outcome
        if evictions is not None and outcome.reads:
            total += abs(evictions - outcome.evictions / outcome.reads)
        if entries is not None:
            most = max(entries, float(outcome.entries_peak), 1.0)
            total += _WEIGHT_OF_ENTRIES * abs(entries - outcome.entries_peak) / most
        return total

    def off_by_lookup(self, predicted: Prediction) -> dict[str, float]:
        return {
            name: abs((life.whole or 0) - predicted.hit_rate(name))
            for name, life in self.hits.items()
            if name is not None
        }

    def notes(self, predicted: Prediction) -> list[str]:
        said = []
        begin, end = (int(one) for one in self.counters.at_ns[[0, -1]])
        if not self.time.is_same:
            said.append(f"the trace is of another time than the counters, {format_time(begin)} to {format_time(end)}")
        elif begin < int(self.trace.at[0]):
            late = format_seconds((int(self.trace.at[0]) - begin) / SECOND)
            said.append(f"the trace begins {late} after the counting, with an empty cache")
        elif begin == int(self.trace.at[0]):
            said.append("the trace begins with the counting, with an empty cache")
        if self.counters.restarts:
            said.append(f"counters began anew {counted(self.counters.restarts, 'time')}: the service was restarted")
        unknown = [name for name in self.counters.lookups if name not in self.trace.lookups]
        if unknown:
            said.append(f"the trace has no look-up {', '.join(unknown)}, which the counters name")
        if self.time.is_same:
            reads, told = self.hits[None].of.sum(), predicted.hits[None].of.sum()
            if not 0.9 <= reads / told <= 1.1:
                said.append(f"life has {reads / told:.2g} times as many reads as the trace, so that only rates compare")
        return said


class _Tried(NamedTuple):
    what: Otherwise
    changes: dict[str, Any]
    prediction: Prediction
    off: float
    where: str = ""

    def told(self) -> Try:
        return Try(f"{self.where}{self.what.what}", self.changes, self.prediction.hit_rate(), self.off)


def _tries(trace: Trace, plan: Plan, time: Time, life: _Life, today: Prediction) -> list[Try]:
    """What explains life better than the plan as it is, the best first, one of each kind."""
    off = life.off(today)

    def of(one: Otherwise, lookups: list[str] | None = None) -> _Tried | None:
        """None where the plan does not take it."""
        names = lookups or list(trace.lookups)
        changes = keys_for(plan, one.rules, names, trace.lookups)
        try:
            on = trace if one.on is None else one.on(trace)
            prediction = predict(on, changed(plan, changes) if changes else plan, time, is_cold=one.is_cold)
        except InputError:
            return None
        where = f"{', '.join(names)}: " if lookups else ""
        return _Tried(one, changes, prediction, life.off(prediction), where)

    def tried(one: Otherwise) -> _Tried | None:
        """For those look-ups alone to which it brings the prediction nearer, if there are such."""
        found = of(one)
        if found is None or not one.rules or (is_of_pools(one.rules) and plan.pools):
            return found
        before, after = life.off_by_lookup(today), life.off_by_lookup(found.prediction)
        nearer = [name for name in before if after[name] < before[name]]
        if not nearer or len(nearer) == len(trace.lookups):
            return found
        single = of(one, nearer)
        return min((one for one in (found, single) if one is not None), key=lambda one: one.off)

    def finer(best: _Tried) -> _Tried:
        """With the amount that explains most near one that explains much."""
        lookups = best.where.removesuffix(": ").split(", ") if best.where else None
        for times in _FINER:
            moved = True
            while moved:
                near = [refined(best.what, one) for one in (times, 1 / times)]
                found = [then for one in near if one is not None and (then := of(one, lookups)) is not None]
                better = min(found, key=lambda one: one.off, default=best)
                moved = better.off < best.off
                best = better if moved else best
        return best

    with ThreadPoolExecutor() as threads:
        every = [one for one in threads.map(tried, otherwise(trace, plan)) if one is not None and one.off < _EXPLAINS * off]
        of_kinds: dict[Any, _Tried] = {}
        for one in sorted(every, key=lambda one: one.off):
            of_kinds.setdefault((tuple(one.what.rules), one.what.on is None, one.what.is_cold), one)
        best = list(of_kinds.values())[:_SHOWN]
        found = list(threads.map(finer, best))
    return [one.told() for one in sorted(found, key=lambda one: one.off)]
