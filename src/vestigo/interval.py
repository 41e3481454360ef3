"""``Interval``: an amount that was measured, and how sure it is."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vestigo.data import Data

_TAIL = 0.975


def student_quantile(level: float, freedom: float) -> float:
    """The amount below which `level` of the cases lie, with so many degrees of freedom (Student, 1908).

    >>> round(student_quantile(0.95, 3), 3)
    2.353
    """
    from scipy.special import stdtrit  # takes a while to import

    return float(stdtrit(freedom, level))


@dataclass(frozen=True, eq=False, repr=False)
class Interval(Data):
    """An amount that was measured, and the interval in which the true one lies in 95 of 100 cases."""

    value: float
    low: float
    high: float

    @classmethod
    def with_error(cls, value: float, error: float, freedom: float) -> "Interval":
        """From a standard error with its degrees of freedom."""
        half = student_quantile(_TAIL, freedom) * error if error else 0.0
        return cls(value, value - half, value + half)

    @classmethod
    def of_parts(cls, value: float, parts: Sequence[float]) -> "Interval":
        """From what each of several parts of the same length gives, two at least: how far they lie apart tells how sure
        the whole is.

        >>> Interval.of_parts(2, [1, 3]).low < 0 < Interval.of_parts(2, [2.1, 1.9, 2]).low
        True
        """
        error = float(np.std(parts, ddof=1)) / len(parts) ** 0.5
        return cls.with_error(value, error, len(parts) - 1)

    def times(self, factor: float) -> "Interval":
        """The same amount in another unit."""
        return Interval(self.value * factor, self.low * factor, self.high * factor)
