"""The times that occurred, and how often each. Percentiles are taken from them."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from vestigo.data import Data
from vestigo.trace.trace import Longs


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
        return int(self.times.sum())

    def percentile(self, share: float) -> int:
        """The smallest span that at least `share` percent do not exceed (nearest rank). It is 0 if there are none."""
        if not len(self.ns):
            return 0
        upto = np.cumsum(self.times)
        rank = max(1, int(np.ceil(share / 100 * int(upto[-1]))))
        return int(self.ns[np.searchsorted(upto, rank)])
