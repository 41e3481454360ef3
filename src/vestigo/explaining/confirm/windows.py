"""Compares rates as measured and as predicted over the same stretches of time, and says how sure a difference is.

Both vary by chance: other requests could have come. How much, the differences between stretches tell (batch means: C.
Alexopoulos, A. F. Seila, "Output data analysis", in "Handbook of Simulation", 1998). Stretches near each other are
alike, so batches of them are compared.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.interval import student_quantile

ENOUGH = 8
"""So many stretches tell how a rate varies."""
_SHARE = 0.95


class Rate(NamedTuple):
    """A rate in each stretch: how many of how many."""

    some: np.ndarray
    of: np.ndarray

    @property
    def whole(self) -> float | None:
        of = float(self.of.sum())
        return float(self.some.sum()) / of if of else None

    @property
    def pulls(self) -> np.ndarray:
        """By how much each stretch moves the whole rate. They add up to zero."""
        return (self.some - (self.whole or 0.0) * self.of) / (self.of.sum() or 1.0)


@dataclass(frozen=True)
class Pair:
    """A rate as measured and as predicted. Their stretches are the same if `is_paired`, otherwise each has its own."""

    measured: Rate
    predicted: Rate
    is_paired: bool

    def difference(self, of_several: int = 1) -> tuple[float, float]:
        """The interval in which measured minus predicted lies in 95 of 100 cases. Of several such intervals, all
        hold in 95 of 100 cases.
        """
        middle = (self.measured.whole or 0.0) - (self.predicted.whole or 0.0)
        error, freedom = self._error()
        half = student_quantile(1 - (1 - _SHARE ** (1 / of_several)) / 2, freedom) * error if error else 0.0
        return middle - half, middle + half

    def _error(self) -> tuple[float, int]:
        """The standard error of the difference, and its degrees of freedom."""
        if self.is_paired and len(self.measured.some) >= ENOUGH:
            return _error_of(self.measured.pulls - self.predicted.pulls)
        predicted, freedom = _error_of(self.predicted.pulls)
        if len(self.measured.some) >= ENOUGH:
            measured, other = _error_of(self.measured.pulls)
            return float(np.hypot(measured, predicted)), min(freedom, other)
        # Few scrapes do not tell how what is measured varies. Like what is predicted, each read alike.
        reads = float(self.predicted.of.sum()) / (float(self.measured.of.sum()) or 1.0)
        return predicted * float(np.sqrt(1 + reads)), freedom


def _error_of(pulls: np.ndarray) -> tuple[float, int]:
    if len(pulls) < ENOUGH:
        return 0.0, 1
    length = max(round(len(pulls) ** (1 / 3)), 1)
    batches = len(pulls) // length
    sums = np.array([part.sum() for part in np.array_split(pulls, batches)])
    return float(np.sqrt(batches * sums.var(ddof=1))), batches - 1
