"""Medians of more values than fit in memory."""

from collections.abc import Callable, Iterable

import numpy as np

from vestigo.trace.trace import Ints, Longs

Values = tuple[Ints, Longs]
"""Groups and, beside them, values of these groups."""


def lower_medians(values: Callable[[], Iterable[Values]], groups: int, largest: int, without: int | Longs) -> Longs:
    """The lower median of the values of each group. Values lie between 0 and `largest`. A group without values has
    `without`, or its own element of it.

    The medians are exact. `values` is asked for all values several times. Each time, those that begin with the known
    digits of the median are counted by their next digits. So memory depends only on the number of groups.

    >>> some = np.array([0, 0, 2, 0], np.int32), np.array([7, 3, 90, 5])
    >>> lower_medians(lambda: [some], 3, 90, without=-1).tolist()
    [5, -1, 90]
    """
    digit = min(12, 22 - groups.bit_length())  # bits
    shift = -(-max(largest.bit_length(), 1) // digit) * digit
    median, rank = np.zeros(groups, np.int64), None
    while shift > 0:
        shift -= digit
        upto = _count(values(), median, shift, digit).cumsum(axis=1)
        if rank is None:
            sizes = upto[:, -1]
            rank = (sizes - 1) // 2
        chosen = (upto <= rank[:, None]).sum(axis=1)
        before = np.concatenate([np.zeros((groups, 1), np.int64), upto], axis=1)
        rank = rank - before[np.arange(groups), chosen]
        median += chosen << shift
    return np.where(sizes > 0, median, without)


def _count(values: Iterable[Values], begins: Longs, shift: int, digit: int) -> Longs:
    """How often each next digit occurs among the values of a group that begin with the known digits."""
    counts = np.zeros((len(begins), 1 << digit), np.int64)
    for group, value in values:
        part = (value - begins[group]) >> shift
        within = (part >= 0) & (part < 1 << digit)
        places = group[within].astype(np.int64) << digit | part[within]
        counts += np.bincount(places, minlength=counts.size).reshape(counts.shape)
    return counts
