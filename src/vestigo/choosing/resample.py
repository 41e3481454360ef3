"""How sure a number is: slices of time are resampled in blocks, as if the trace had gone differently.

The circular block bootstrap: D. N. Politis, J. P. Romano, "A circular block-resampling procedure for stationary data",
1992. Slices near each other are alike, so whole blocks of them are drawn. The length of a block is the cube root of the
number of slices (P. Hall, J. L. Horowitz, B.-Y. Jing, "On blocking rules for the bootstrap with dependent data", 1995).
"""

import numpy as np

from vestigo.choosing.candidates import Candidate
from vestigo.measures import MEASURES

TIMES = 1000


class Resamples:
    """Draws that are the same for every candidate, so that candidates are compared on the same times."""

    def __init__(self, slices: int, seed: int = 0, times: int = TIMES) -> None:
        self.times = times
        length = max(round(slices ** (1 / 3)), 1)
        blocks = -(-slices // length)
        begins = np.random.default_rng(seed).integers(0, slices, (times, blocks, 1))
        places = ((begins + np.arange(length)) % slices).reshape(times, -1)[:, :slices]
        self._weights = np.zeros((times, slices))
        np.add.at(self._weights, (np.arange(times)[:, None], places), 1)

    def sums(self, counts: np.ndarray) -> np.ndarray:
        """The sum of a count over the slices of each resample."""
        sums: np.ndarray = self._weights @ counts
        return sums

    def rates(self, candidate: Candidate, name: str) -> np.ndarray:
        """A measure of `candidate` in each resample. Slices must tell this measure."""
        of_slices = MEASURES[name].of_slices
        assert of_slices is not None
        with np.errstate(invalid="ignore", divide="ignore"):
            found = of_slices.of(*(self.sums(candidate.slices(count)) for count in of_slices.counts))
        rates: np.ndarray = np.nan_to_num(found)
        return rates

    def interval(self, candidate: Candidate, name: str, share: float = 0.95) -> tuple[float, float]:
        """The middle `share` of the resamples."""
        low, high = np.quantile(self.rates(candidate, name), [(1 - share) / 2, (1 + share) / 2])
        return float(low), float(high)

    def ahead(self, pick: Candidate, other: Candidate, name: str | None) -> tuple[int, int] | None:
        """In how many resamples, of how many, `pick` is better than `other`. None if slices do not tell that."""
        if name is None or MEASURES[name].of_slices is None:
            return None
        sign = 1 if MEASURES[name].more_is_better else -1
        difference = sign * (self.rates(pick, name) - self.rates(other, name))
        return int(np.count_nonzero(difference > 0)), self.times
