"""Looks for what explains the difference between measured and predicted rates, by replaying one change after the
other.
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, NamedTuple

from vestigo.errors import InputError
from vestigo.explaining.confirm.confirmation import ALIKE, Try
from vestigo.explaining.confirm.measured import Measured
from vestigo.explaining.confirm.predicted import Prediction, Time, predict
from vestigo.explaining.confirm.tries import Otherwise, is_of_pools, otherwise, refined, rounder
from vestigo.explaining.hypotheses.everywhere import keys_for
from vestigo.rules import Plan
from vestigo.trace import Trace

_FINER = tuple(Fraction(text) for text in ("3/2", "6/5", "11/10", "21/20", "51/50"))
_SHOWN = 6
_AS_NEAR = 0.001
"""In parts of all reads: what is no farther from the measured rates explains them as well."""
_EXPLAINS = 0.9
"""What leaves more of the difference explains nothing."""


class _Tried(NamedTuple):
    what: Otherwise
    lookups: tuple[str, ...]
    """The look-ups for which it is otherwise. Empty means all."""
    changes: dict[str, Any]
    prediction: Prediction
    off: float

    def told(self) -> Try:
        return Try(self.what.of(self.lookups), self.changes, self.prediction.hit_rate(), self.off)

    @property
    def is_amount_stated(self) -> bool:
        """Whether it is only another amount of a rule that the plan states."""
        return self.what.stated is not None

    @property
    def kind(self) -> tuple[Any, ...]:
        return tuple(self.what.rules), self.what.on is None, self.what.is_cold


@dataclass(frozen=True)
class Explainer:
    """What was measured, the settings that should be in force, and what they predict."""

    trace: Trace
    plan: Plan
    time: Time
    measured: Measured
    today: Prediction

    def tries(self) -> list[Try]:
        """What explains the measured rates better than the plan does: the best of each kind, best first. Of those that
        explain as much, another amount of a stated rule comes before another rule.
        """
        whole = self.measured.off(self.today)
        with ThreadPoolExecutor() as threads:
            every = threads.map(self._tried, otherwise(self.trace, self.plan))
            better = [one for one in every if one is not None and one.off < _EXPLAINS * whole]
            of_kinds: dict[tuple[Any, ...], _Tried] = {}
            for one in sorted(better, key=_off):
                of_kinds.setdefault(one.kind, one)
            found = sorted(threads.map(self._finer, list(of_kinds.values())[:_SHOWN]), key=_off)
        if found:
            nearest = found[0].off + min(ALIKE * whole, _AS_NEAR)
            found.sort(key=lambda one: (one.off > nearest, one.off <= nearest and not one.is_amount_stated, one.off))
        return [one.told() for one in found]

    def _tried(self, one: Otherwise) -> _Tried | None:
        """The try for only those look-ups whose prediction it brings nearer, if that is better than for all."""
        found = self._replayed(one)
        if found is None or not one.rules or (is_of_pools(one.rules) and self.plan.pools):
            return found
        before, after = self.measured.off_by_lookup(self.today), self.measured.off_by_lookup(found.prediction)
        nearer = tuple(name for name in before if after[name] < before[name])
        if not nearer or len(nearer) == len(self.trace.lookups):
            return found
        alone = self._replayed(one, nearer)
        return found if alone is None else min(found, alone, key=_off)

    def _replayed(self, one: Otherwise, lookups: Sequence[str] = ()) -> _Tried | None:
        """The prediction with this change, or None if it does not fit the plan."""
        every = self.trace.lookups
        changes = keys_for(self.plan, one.rules, lookups or every, every)
        try:
            on = self.trace if one.on is None else one.on(self.trace)
            plan = self.plan.changed(changes) if changes else self.plan
            prediction = predict(on, plan, self.time, is_cold=one.is_cold)
        except InputError:
            return None
        return _Tried(one, tuple(lookups), changes, prediction, self.measured.off(prediction))

    def _finer(self, best: _Tried) -> _Tried:
        """The same try with a nearby amount that explains more."""
        for times in _FINER:
            while (better := self._nearest(best, [refined(best.what, one) for one in (times, 1 / times)])) is not best:
                best = better
        return self._nearest(best, list(rounder(best.what)))

    def _nearest(self, best: _Tried, others: Sequence[Otherwise | None]) -> _Tried:
        """The best, or another that is nearer."""
        found = [self._replayed(one, best.lookups) for one in others if one is not None]
        return min((best, *(one for one in found if one is not None)), key=_off)


def _off(one: _Tried) -> float:
    return one.off
