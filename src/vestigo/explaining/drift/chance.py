"""Whether two recordings differ by more than chance would have it."""

from typing import NamedTuple

import numpy as np

from vestigo.explaining.drift.traits import FEWEST, Amounts, Stretches
from vestigo.interval import student_quantile

_ONE_IN = 1000
"""What chance alone makes so rarely is no chance."""
_LEVEL = 1 - 0.5 / _ONE_IN


class Beside(NamedTuple):
    """A trait before and after, as means over stretches of time."""

    before: float
    after: float
    by_chance: float
    """How far apart chance alone puts them at most, but for one time in a thousand. It is infinite if nobody knows."""

    @property
    def is_more_than_chance(self) -> bool:
        return abs(self.after - self.before) > self.by_chance

    @property
    def times(self) -> float:
        """How many times as much there is after."""
        return self.after / self.before if self.before else float("inf") if self.after else 1.0


def beside(before: Amounts, after: Amounts, of_before: Stretches, of_after: Stretches) -> Beside:
    """Compares the same times of day, if both recordings have enough of these. Otherwise it compares all stretches,
    whose spread then includes that of the day (B. L. Welch, 1947).
    """
    day_before, day_after = (_by_time_of_day(*each) for each in ((before, of_before), (after, of_after)))
    times = sorted(day_before.keys() & day_after.keys())
    if len(times) >= FEWEST:
        some, other = (np.array([day[time] for time in times]) for day in (day_before, day_after))
        differences = other - some
        spread = differences.std(ddof=1) / np.sqrt(len(differences)) * student_quantile(_LEVEL, len(differences) - 1)
        return Beside(float(some.mean()), float(other.mean()), float(spread))
    some, other = before[~np.isnan(before)], after[~np.isnan(after)]
    if min(len(some), len(other)) < FEWEST:
        return Beside(_mean(some), _mean(other), float("inf"))
    squares = some.var(ddof=1) / len(some), other.var(ddof=1) / len(other)
    degrees = sum(squares) ** 2 / max(
        squares[0] ** 2 / (len(some) - 1) + squares[1] ** 2 / (len(other) - 1), np.finfo(float).tiny
    )
    return Beside(_mean(some), _mean(other), float(np.sqrt(sum(squares)) * student_quantile(_LEVEL, max(degrees, 1.0))))


def _by_time_of_day(amounts: Amounts, stretches: Stretches) -> dict[int, float]:
    """The mean of each time of day."""
    known = ~np.isnan(amounts)
    times, place = np.unique(stretches.times_of_day[known], return_inverse=True)
    means = np.bincount(place, amounts[known]) / np.bincount(place) if len(times) else times
    return dict(zip(times.tolist(), means.tolist(), strict=True))


def _mean(amounts: Amounts) -> float:
    return float(amounts.mean()) if len(amounts) else 0.0
