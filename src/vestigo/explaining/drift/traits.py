"""What one look-up is like, stretch by stretch of the time, so that chance can be told from change."""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from vestigo.prepared.fill import filler
from vestigo.prepared.neighbours import by_key, changed, goes_on
from vestigo.prepared.truth import Truths, truths
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_VALUED, Longs
from vestigo.units import SECOND

Amounts = np.ndarray
"""A number for each stretch, NaN where there is none."""

MINUTE_NS, DAY_NS = 60 * SECOND, 86_400 * SECOND
WIDTHS_NS = tuple(minutes * MINUTE_NS for minutes in (60, 30, 15, 10, 5, 2, 1))
"""Stretches begin on the clock, so a day has the same ones in each recording."""
FEWEST = 8
"""Stretches in a recording. With fewer, nothing is said of chance."""
_MOST_READ = 0.1


class Stretches(NamedTuple):
    """Equal stretches of a recording's time, without the pieces at its ends."""

    first: int
    """The number of the first one since 1970."""
    number: int
    width_ns: int

    @classmethod
    def of(cls, trace: Trace, width_ns: int) -> "Stretches":
        first, end = -(-int(trace.at[0]) // width_ns), (int(trace.at[-1]) + 1) // width_ns
        return cls(first, max(end - first, 0), width_ns)

    def holds(self, at: Longs) -> np.ndarray:
        """For each moment, the place of its stretch, or -1."""
        place = at // self.width_ns - self.first
        return np.where((place >= 0) & (place < self.number), place, -1)

    @property
    def times_of_day(self) -> Longs:
        """Of each stretch, its place in a day."""
        return (self.first + np.arange(self.number)) % (DAY_NS // self.width_ns)


def width_for(*traces: Trace) -> int | None:
    """The longest stretches of which each recording has enough. None if one of them is too short."""
    return next(
        (width for width in WIDTHS_NS if all(Stretches.of(one, width).number >= FEWEST for one in traces)), None
    )


class Rows(NamedTuple):
    """The rows of one look-up that have a value, by key and then by time, with what they show."""

    at: Longs
    key: np.ndarray
    is_read: np.ndarray
    is_null: np.ndarray
    is_changed: np.ndarray
    size: Longs
    cost: Longs

    @classmethod
    def of(cls, trace: Trace, number: int, known: Truths) -> "Rows":
        row = by_key(trace, np.flatnonzero((trace.lookup == number) & (trace.op <= LAST_VALUED)))
        key = trace.key[row]
        is_read, null = trace.op[row] == Op.READ, known.null[row]
        written = ~goes_on(key) & ~is_read & (trace.op[row] != Op.PRELOAD)
        return cls(
            trace.at[row],
            key,
            is_read,
            null,
            changed(key, known.value[row]) | written,
            filler(trace).sizes(trace, known.null)[row],
            trace.cost[row],
        )


def truths_of(trace: Trace) -> Truths:
    """The truths of a trace, which keeps them."""
    return trace.once("truths for drift", lambda: truths(trace))


def traits(trace: Trace, number: int, stretches: Stretches) -> Mapping[str, Amounts]:
    """What a look-up is like in each stretch: ``reads`` and ``changes`` an hour, ``keys`` that are read, ``popularity``
    (the share of reads that ask for the most-read tenth of the keys), ``reuse`` (the median time between two reads of a
    key, in seconds), ``sizes`` in bytes, ``nulls`` (a share of the reads), and ``origin`` (the mean time of a call, in
    seconds).
    """
    rows = Rows.of(trace, number, truths_of(trace))
    place = stretches.holds(rows.at)
    read = rows.is_read & (place >= 0)
    key, of_read = rows.key[read], place[read]
    reads = _counts(of_read, stretches)
    an_hour = 3600 * SECOND / stretches.width_ns
    keys, share = _keys(key, of_read, stretches)
    gap = np.diff(rows.at[rows.is_read], prepend=0)
    again = goes_on(rows.key[rows.is_read])
    at_gap = place[rows.is_read][again]
    found, timed = read & ~rows.is_null, read & (rows.cost != MISSING)
    return {
        "reads": reads * an_hour,
        "keys": keys,
        "popularity": share,
        "reuse": _medians(gap[again], at_gap, stretches) / SECOND,
        "changes": _counts(place[rows.is_changed & (place >= 0)], stretches) * an_hour,
        "sizes": _means(rows.size[found], place[found], stretches),
        "nulls": _means(rows.is_null[read], of_read, stretches),
        "origin": _means(rows.cost[timed], place[timed], stretches) / SECOND,
    }


def _counts(place: Longs, stretches: Stretches) -> Amounts:
    number: Amounts = np.bincount(place, minlength=stretches.number).astype(np.float64)
    return number


def _means(amounts: np.ndarray, place: Longs, stretches: Stretches) -> Amounts:
    number = _counts(place, stretches)
    total = np.bincount(place, amounts, minlength=stretches.number)
    means: Amounts = np.divide(total, number, out=np.full(stretches.number, np.nan), where=number > 0)
    return means


def _medians(amounts: np.ndarray, place: Longs, stretches: Stretches) -> Amounts:
    is_in = place >= 0
    amounts, place = amounts[is_in], place[is_in]
    order = np.lexsort((amounts, place))
    ends = np.cumsum(np.bincount(place, minlength=stretches.number))
    begins = np.append(0, ends[:-1])
    middle = np.minimum((begins + ends) // 2, max(len(order) - 1, 0))
    found = amounts[order][middle].astype(np.float64) if len(order) else np.zeros(stretches.number)
    return np.where(ends > begins, found, np.nan)


def _keys(key: np.ndarray, place: Longs, stretches: Stretches) -> tuple[Amounts, Amounts]:
    """The distinct keys of each stretch, and the share of reads that ask for the most-read tenth of them."""
    pairs, number = np.unique(place << 32 | key, return_counts=True)
    of_pair = pairs >> 32
    order = np.lexsort((-number, of_pair))
    keys = np.bincount(of_pair, minlength=stretches.number)
    rank = np.arange(len(order)) - np.repeat(np.cumsum(keys) - keys, keys)
    is_top = rank < np.ceil(np.repeat(keys, keys) * _MOST_READ)
    top = np.bincount(of_pair[order][is_top], number[order][is_top], minlength=stretches.number)
    reads = _counts(place, stretches)
    return keys.astype(np.float64), np.divide(top, reads, out=np.full(stretches.number, np.nan), where=reads > 0)
