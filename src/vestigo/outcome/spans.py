"""The times that occurred, and how often each. Percentiles are taken from them."""

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vestigo.arguments import shown
from vestigo.data import Data
from vestigo.errors import RulesError
from vestigo.trace.trace import Longs
from vestigo.units import as_python


def percentile_of(value: object) -> float:
    """A percentile, from 0 to 100. Raises RulesError.

    >>> percentile_of(0.95)
    Traceback (most recent call last):
    ...
    vestigo.errors.RulesError: percentile: 0.95 is a share; write 95
    """
    number = as_python(value)
    if isinstance(number, bool) or not isinstance(number, (int, float)) or not 0 <= number <= 100:
        raise RulesError(f"percentile: {shown(number)} is not a number from 0 to 100; write 95 for p95")
    if 0 < number < 1:
        raise RulesError(f"percentile: {number} is a share; write {number * 100:.12g}")
    return number


@dataclass(frozen=True, eq=False, repr=False)
class Spans(Data):
    """`ns` ascending, `times` how often each occurred.

    >>> Spans.of([5, 1, 1, 9]).percentile(50)
    1
    """

    ns: Longs
    times: Longs

    @classmethod
    def of(cls, spans: Iterable[int]) -> "Spans":
        counted = sorted(Counter(spans).items())
        return cls(np.array([ns for ns, _ in counted], np.int64), np.array([times for _, times in counted], np.int64))

    @classmethod
    def joined(cls, parts: Sequence["Spans"]) -> "Spans":
        """The spans of all parts together."""
        ns = np.concatenate([each.ns for each in parts])
        order = np.argsort(ns, kind="stable")  # this is quick because each part is in order
        ns = ns[order]
        begins = np.flatnonzero(np.diff(ns, prepend=-1))  # no span is negative
        if not len(begins):
            return cls(ns, ns)
        return cls(ns[begins], np.add.reduceat(np.concatenate([each.times for each in parts])[order], begins))

    @property
    def count(self) -> int:
        return int(self._upto[-1]) if len(self.ns) else 0

    def percentile(self, share: float) -> int:
        """The smallest span that at least `share` percent do not exceed (nearest rank). It is 0 if there are none."""
        if not len(self.ns):
            return 0
        rank = max(1, math.ceil(share / 100 * int(self._upto[-1])))
        return int(self.ns[self._upto.searchsorted(rank)])

    def longer_than(self, ns: float) -> int:
        """How many are longer.

        >>> Spans.of([5, 1, 1, 9]).longer_than(1)
        2
        """
        place = int(self.ns.searchsorted(ns, "right"))
        return self.count - (int(self._upto[place - 1]) if place else 0)

    @cached_property
    def _upto(self) -> Longs:
        """How many spans are no longer than each."""
        upto: Longs = self.times.cumsum(dtype=np.int64)
        return upto
