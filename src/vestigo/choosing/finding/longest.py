"""Aims that do not add up: a percentile or a maximum of times is least if its smallest bound is kept that any choice
keeps. That bound is found by halving.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import NamedTuple

from vestigo.choosing.finding.combining import Choice, Problem, best, relaxed
from vestigo.choosing.finding.limits import Row
from vestigo.measures import MEASURES, amount_of
from vestigo.outcome import Measures, Spans
from vestigo.units import SECOND

_FINE, _ROUGH = 5e-3, 2e-2
"""To which share of itself a bound is found."""
_CLOSE = 1e-6
RowAt = Callable[[float], Row]
"""What a bound asks of a choice."""


class Kept(NamedTuple):
    """A choice that keeps a bound, and the largest bound that is known to be kept by none."""

    choice: Choice
    below: float


def is_of_longest(name: str) -> bool:
    """Whether a measure is a percentile or a maximum of times."""
    return MEASURES[name].kind == "span" and MEASURES[name].adds_up is None


def longest_of(name: str, chosen: Sequence[Measures]) -> float:
    """What attempts have together."""
    of_spans = MEASURES[name].of_spans
    if of_spans is None:
        return max(float(amount_of(one, name)) for one in chosen)
    every: list[Spans] = [getattr(one, of_spans.spans) for one in chosen]
    return Spans.joined(every).percentile(of_spans.percentile) / SECOND


def least_of_shares(problem: Problem, row_at: RowAt, most: float, near_enough: float = _ROUGH) -> tuple[float, float]:
    """A bound that no shares of attempts keep, and a bound that some keep, which is near to it. Some keep `most`."""
    below = 0.0
    while most - below > max(near_enough * most, 1 / SECOND):
        bound = (below + most) / 2
        row = row_at(bound)
        found = relaxed(replace(problem, costs=row.amounts))
        if found is not None and found.cost <= row.most + _CLOSE:
            most = bound
        else:
            below = bound
    return below, most


def least_kept(problem: Problem, row_at: RowAt, most: float, longest: Callable[[Choice], float]) -> Kept | None:
    """The choice that keeps the smallest bound. Every choice keeps `most`; `longest` says what a choice keeps. None if
    none keeps the limits of the problem.
    """
    if relaxed(problem) is None:
        return None
    below, bound = least_of_shares(problem, row_at, most, _FINE)
    kept: Choice | None = None
    while kept is None or most - below > _FINE * most:
        row = row_at(bound)
        found = best(replace(problem, costs=row.amounts))
        if found is None:
            return None
        if (reached := longest(found)) < most or kept is None:
            kept, most = found, reached
        if found.cost > row.most + _CLOSE:
            if found.bound <= row.most + _CLOSE:
                break  # the solver had too little time to tell
            below = bound
        bound = (below + most) / 2
    return Kept(kept, below)
