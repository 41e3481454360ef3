"""Each row beside those near it: whether its key goes on, whether its value changed, how far the next read is."""

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.memory import settled
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import Longs

NO_READ = 2**62
"""The number of a read that never comes."""
Whose = tuple[str, ...]
"""Of each look-up: who has a cache of their own."""


def goes_on(*columns: np.ndarray) -> np.ndarray:
    """Whether each row is the same as the one before in all columns. The first is not.

    >>> goes_on(np.array([1, 1, 2, 2])).tolist()
    [False, True, False, True]
    """
    same = np.zeros(len(columns[0]), bool)
    same[1:] = True
    for column in columns:
        same[1:] &= column[1:] == column[:-1]
    return same


def changed(key: np.ndarray, value: np.ndarray) -> np.ndarray:
    """The rows at which a key has another value than at its row before.

    >>> changed(np.array([1, 1, 1, 2]), np.array([5, 6, 6, 7])).tolist()
    [False, True, False, False]
    """
    other = goes_on(key)
    other[1:] &= value[1:] != value[:-1]
    return other


def seen_before(*columns: np.ndarray) -> np.ndarray:
    """Whether some earlier row is the same in all columns. Rows may be in any order.

    >>> seen_before(np.array([1, 2, 1])).tolist()
    [False, False, True]
    """
    seen = goes_on(*columns)  # of rows that are the same one after the other, only the first is in question
    first = np.flatnonzero(~seen)
    values = [column[first] for column in columns]
    order = np.lexsort(values)
    seen[first[order]] = goes_on(*(value[order] for value in values))
    return seen


def by_key(trace: Trace, rows: np.ndarray) -> np.ndarray:
    """Rows that have a key, by look-up, then by key, then by time. The `rows` are ascending.

    >>> from vestigo import read_trace
    >>> by_key(read_trace({"at": [0, 1, 2], "key": ["a", "b", "a"]}), np.arange(3)).tolist()
    [0, 2, 1]
    """
    place = np.empty(len(trace.keys), np.int32)
    place[np.argsort(trace.key_lookup, kind="stable")] = np.arange(len(trace.keys), dtype=np.int32)
    found: np.ndarray = rows[kernel.by_group(settled(place[trace.key[rows]]), len(trace.keys))]
    return found


def gaps_ns(trace: Trace, rows: np.ndarray, per: str) -> np.ndarray:
    """The times between two reads of a key in one cache, ascending, for the reads among these `rows`, which are
    ascending. `per` says who has a cache: each ``node``, each ``scope``, or ``all`` together.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 5, 7], "key": ["a", "a", "a", "a"], "node": ["n", "m", "n", "n"]})
    >>> gaps_ns(trace, np.arange(4), "node").tolist(), gaps_ns(trace, np.arange(4), "all").tolist()
    ([2, 5], [1, 2, 4])
    """
    reads = rows[trace.op[rows] == Op.READ]
    places = {"node": trace.node, "scope": trace.scope}
    if per in places:
        where = places[per][reads] + np.int32(1)
        reads = reads[kernel.by_group(settled(where), int(where.max(initial=0)) + 1)]
    reads = reads[kernel.by_group(settled(trace.key[reads]), len(trace.keys))]
    of = (trace.key[reads], places[per][reads]) if per in places else (trace.key[reads],)
    gaps: np.ndarray = np.sort(np.diff(trace.at[reads], prepend=0)[goes_on(*of)])
    return gaps


def next_reads(trace: Trace, whose: Whose) -> Longs:
    """For each event, the row of its key's next read in the same compartment.

    It takes 8 bytes an event, and the trace keeps it.
    """
    return trace.once(("next reads", whose), lambda: _next_reads(trace, whose))


def _next_reads(trace: Trace, whose: Whose) -> Longs:
    events, entry = len(trace), trace.key.astype(np.int64)
    if set(whose) != {"all"}:
        per = np.array(whose)[trace.lookup]
        owner = np.where(per == "node", trace.node, np.where(per == "scope", trace.scope, MISSING))
        entry = np.where(trace.key >= 0, entry * (int(owner.max()) + 2) + owner + 1, MISSING)
    in_order = np.argsort(entry, kind="stable")
    entry, is_read = entry[in_order], trace.op[in_order] == Op.READ
    place = np.where(is_read, np.arange(events), events)
    following = np.append(
        np.minimum.accumulate(place[::-1])[::-1][1:], events
    )  # the place of the next read in this order
    found = np.append(entry, -2)[following] == entry
    numbers = np.append(in_order, 0)[following]
    next_read = np.full(events, NO_READ, np.int64)
    next_read[in_order] = np.where(found, numbers, NO_READ)
    return settled(next_read)
