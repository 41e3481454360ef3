"""Compares rates in life and as predicted over the same stretches of time, and says how sure a difference is.

The stretches are resampled in blocks (`study/resample.py`), as if the time had gone differently.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.study.resample import Resamples

ENOUGH = 8
"""So many stretches can be drawn from."""
_SHARE = 0.95


class Rate(NamedTuple):
    """A rate in each stretch: how many of how many."""

    some: np.ndarray
    of: np.ndarray

    @property
    def whole(self) -> float | None:
        of = float(self.of.sum())
        return float(self.some.sum()) / of if of else None


@dataclass(frozen=True)
class Pair:
    """A rate in life and as predicted. Their stretches are the same if `is_paired`, otherwise each has its own."""

    life: Rate
    predicted: Rate
    is_paired: bool

    def difference(self) -> tuple[float, float]:
        """The interval in which life minus prediction lies in 95 of 100 draws."""
        if self.is_paired and len(self.life.some) >= ENOUGH:
            draws = Resamples(len(self.life.some))
            drawn = _drawn(draws, self.life) - _drawn(draws, self.predicted)
        else:
            drawn = _alone(self.life) - _alone(self.predicted, seed=1)
        low, high = np.quantile(drawn, [(1 - _SHARE) / 2, (1 + _SHARE) / 2])
        return float(low), float(high)


def _alone(rate: Rate, seed: int = 0) -> np.ndarray:
    """Draws of a rate from its own stretches. If there are few, all draws are the same."""
    if len(rate.some) < ENOUGH:
        return np.full(1, rate.whole or 0.0)
    return _drawn(Resamples(len(rate.some), seed), rate)


def _drawn(draws: Resamples, rate: Rate) -> np.ndarray:
    of = draws.sums(rate.of)
    drawn: np.ndarray = np.divide(draws.sums(rate.some), of, out=np.zeros_like(of), where=of > 0)
    return drawn
