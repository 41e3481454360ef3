"""Looks for what explains the difference between measured and predicted rates."""

from collections.abc import Sequence
from itertools import chain

from vestigo.explaining.confirm.confirmation import ALIKE, Try
from vestigo.explaining.confirm.measured import Measured
from vestigo.explaining.confirm.predicted import Prediction, Time, predict
from vestigo.explaining.hypotheses.catalogue import of_rules, of_trace
from vestigo.explaining.hypotheses.trying import Score, Tried, trying
from vestigo.rules import Plan
from vestigo.trace import Trace

_SHOWN = 6
_ONE_MORE = 0.1
"""In parts of the difference: a second change that explains no more than this is not needed."""
_AS_NEAR = 0.001
"""In parts of all reads: what is no farther from the measured rates explains them as well."""
_EXPLAINS = 0.9
"""What leaves more of the difference explains nothing."""


def tries(trace: Trace, plan: Plan, time: Time, measured: Measured, today: Prediction) -> list[Try]:
    """What explains the measured rates better than the plan does: the best of each kind, best first. Of those that
    explain as much, another amount of a stated rule comes before another rule, and one change before two.
    """

    def replayed(on: Trace, then: Plan, is_cold: bool) -> Prediction:
        return predict(on, then, time, is_cold=is_cold)

    score = Score(replayed, measured.off, measured.off_by_lookup)
    with trying(trace, plan, score) as trials:
        ranked = trials.best_of_each_kind(chain(of_trace(trace, plan), of_rules(trace, plan)), today)
    whole = measured.off(today)
    better = [one for one in ranked if one.off < _EXPLAINS * whole and not _is_more_than_needed(one, ranked, whole)]
    better = better[:_SHOWN]
    if not better:
        return []
    nearest = better[0].off + min(ALIKE * whole, _AS_NEAR)

    def place(one: Tried[Prediction]) -> tuple[bool, bool, int, float]:
        if one.off > nearest:
            return True, False, 0, one.off
        return False, not one.hypothesis.is_amount_stated, len(one.hypothesis.rules), one.off

    return [Try(one.what, one.changes, one.gives.hit_rate(), one.off) for one in sorted(better, key=place)]


def _is_more_than_needed(tried: Tried[Prediction], others: Sequence[Tried[Prediction]], whole: float) -> bool:
    """Whether some of the changes alone explain nearly as much."""
    rules = {*tried.hypothesis.rules}
    return any(
        {*other.hypothesis.rules} < rules and other.off <= tried.off + _ONE_MORE * whole
        for other in others
        if other.hypothesis.rules
    )
