"""``HitTimes``: how long hits took, by the size of the value."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vestigo.data import Data
from vestigo.interval import Interval
from vestigo.trace.trace import Longs
from vestigo.units import SECOND, Duration

_PARTS, _FEWEST = 10, 100
"""How many parts of the hits are compared to tell how sure the whole is, and from how many hits on that is done."""
_OF_CLASS, _KIB = 10, 1024
"""From so many hits on, values of a size have a row."""


@dataclass(frozen=True, eq=False, repr=False)
class TimesOfSize(Data):
    """The hits on values of some size."""

    least_bytes: int
    most_bytes: int
    hits: int
    median: float
    """In seconds."""
    p95: float


@dataclass(frozen=True, eq=False, repr=False)
class HitTimes(Data):
    """How long hits took. The middle of those of a size is taken, because a few wait for other things."""

    hits: int
    hit_cost: Interval
    """In seconds, as the rule."""
    hit_cost_per_kib: Interval | None
    """None if larger values did not take longer, as far as can be told, or all have the same size."""
    by_size: Sequence[TimesOfSize]

    @property
    def rules(self) -> Mapping[str, Duration]:
        """The rules that state these times."""
        told = {"hit_cost": self.hit_cost, "hit_cost_per_kib": self.hit_cost_per_kib}
        return {rule: Duration(round(one.value * SECOND)) for rule, one in told.items() if one is not None}


def hit_times(took_ns: Longs, size_bytes: Longs | None) -> HitTimes | None:
    """From the time of each hit and the size of its value, in the order of the trace. Without sizes nothing is said of
    them. None if the hits are too few.

    >>> took, sizes = np.tile([1000, 3000], 500), np.tile([0, 2048], 500)
    >>> told = hit_times(took, sizes)
    >>> [round(one.value * 1e9) for one in (told.hit_cost, told.hit_cost_per_kib)], len(told.by_size)
    ([1000, 1000], 2)
    """
    if len(took_ns) < _FEWEST:
        return None
    sizes = np.zeros_like(took_ns) if size_bytes is None else size_bytes
    took_of, sizes_of = np.array_split(took_ns, _PARTS), np.array_split(sizes, _PARTS)
    base, slope = zip(_fitted(took_ns, sizes), *map(_fitted, took_of, sizes_of), strict=True)
    hit, per_kib = Interval.of_parts(base[0], base[1:]), Interval.of_parts(slope[0], slope[1:])
    grows = per_kib.low > 0 and round(per_kib.value) > 0  # a rule counts whole ns
    if not grows:
        hit = Interval.of_parts(_middle(took_ns), [_middle(part) for part in took_of])
    seconds = per_kib.times(1 / SECOND) if grows else None
    return HitTimes(len(took_ns), hit.times(1 / SECOND), seconds, _rows(took_ns, sizes))


def _middle(took_ns: Longs) -> float:
    return float(np.median(took_ns))


def _classes(sizes: Longs) -> np.ndarray:
    """Of each size, the power of two above it."""
    classes: np.ndarray = np.frexp(sizes.astype(float))[1]
    return classes


def _fitted(took_ns: Longs, sizes: Longs) -> tuple[float, float]:
    """What a hit takes, and what it takes more for each KiB: a line through the middles of the classes of sizes, each
    as heavy as it has hits. A hit takes no less than nothing.
    """
    of, weights = np.unique(_classes(sizes), return_inverse=True, return_counts=True)[1:]
    order, ends = np.argsort(of, kind="stable"), np.cumsum(weights)[:-1]
    middles, kib = (
        np.array([np.median(part) for part in np.split(column[order], ends)]) for column in (took_ns, sizes / _KIB)
    )
    mean, mean_kib = np.average(middles, weights=weights), np.average(kib, weights=weights)
    spread = np.average((kib - mean_kib) ** 2, weights=weights)
    slope = np.average((kib - mean_kib) * middles, weights=weights) / spread if spread > 0 else 0.0
    if mean < slope * mean_kib:
        slope = np.average(kib * middles, weights=weights) / np.average(kib**2, weights=weights)
        return 0.0, float(slope)
    return float(mean - slope * mean_kib), float(slope)


def _rows(took_ns: Longs, sizes: Longs) -> list[TimesOfSize]:
    of, rows = _classes(sizes), []
    for one in np.unique(of):
        took, bytes_of = took_ns[of == one], sizes[of == one]
        if len(took) >= _OF_CLASS:
            median, p95 = np.percentile(took, [50, 95]) / SECOND
            least, most = int(bytes_of.min()), int(bytes_of.max())
            rows.append(TimesOfSize(least, most, len(took), float(median), float(p95)))
    return rows
