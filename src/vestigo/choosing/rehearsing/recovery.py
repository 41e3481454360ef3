"""How long it takes until readers are as well off as without a bad moment."""

import numpy as np

from vestigo.outcome import Slices, Spans
from vestigo.units import SECOND

WELL = 600 * SECOND
"""For so long they must be as well off."""
_WITHIN = 1.1
"""As well off is whoever is no more than a tenth worse off."""


class _Stretches:
    """What the ten minutes from each stretch on give: the p95 of read time, and the most calls that waited."""

    def __init__(self, slices: Slices, from_ns: int, width_ns: int, count: int) -> None:
        self._spans: list[Spans] = [Spans.of([])] * count
        self._waiting = np.zeros(count, np.int64)
        columns = (slices.column(name) for name in ("begins_ns", "read_times", "waiting_peak"))
        for begins, spans, waiting in zip(*columns, strict=True):
            place = begins // width_ns - from_ns // width_ns
            if 0 <= place < count:
                self._spans[place], self._waiting[place] = spans, waiting
        self._wide = max(-(-WELL // width_ns), 1)

    def worse_off(self, other: "_Stretches", place: int) -> bool:
        """Whether readers are worse off than in the other course."""
        here = slice(place, place + self._wide)
        if self._waiting[here].max() > _WITHIN * other._waiting[here].max():
            return True
        return self._p95(here) > _WITHIN * other._p95(here)

    def _p95(self, here: slice) -> int:
        return Spans.joined(self._spans[here]).percentile(95)


def recovery_ns(moment: Slices, without: Slices, at_ns: int, ends_ns: int, width_ns: int) -> int | None:
    """How long after `at_ns` the first stretch begins from which on readers are as well off for ten minutes, or up to
    the end if that is nearer. None if that is after `ends_ns`.
    """
    count = max((ends_ns // width_ns) - (at_ns // width_ns) + 1, 1)
    bad, good = (_Stretches(one, at_ns, width_ns, count) for one in (moment, without))
    last = max(count - WELL // width_ns, count // 2, 1)
    for place in range(last):
        if not bad.worse_off(good, place):
            return max((at_ns // width_ns + place) * width_ns - at_ns, 0)
    return None
