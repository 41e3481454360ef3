"""A recording with less of something in one look-up: fewer keys, reads, changes or nulls; and with other amounts.

Each function takes a trace and the number of a look-up, and returns a new trace. What is left out is drawn, but the
same at every call. What other look-ups do is not touched.
"""

import dataclasses

import numpy as np

from vestigo.prepared.neighbours import by_key, changed
from vestigo.prepared.truth import truths
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_VALUED, Longs

_QUANTILES = np.linspace(0.0, 1.0, 257)


def fewer_keys(trace: Trace, number: int, share: float) -> Trace:
    """A share of the keys, with all that happens to them: of every popularity, as many as there are.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 2, 3], "key": ["a", "b", "a", "c"]})
    >>> fewer_keys(trace, 0, 0.5).key.tolist()
    [0, 0, 2]
    """
    own = trace.lookup == number
    keys = np.flatnonzero(trace.key_lookup == number)
    reads = np.bincount(trace.key[own & (trace.op == Op.READ)], minlength=len(trace.keys))[keys]
    by_popularity = keys[np.lexsort((keys, -reads))]
    steps = np.floor(np.arange(len(keys) + 1) * share + 0.5)
    is_kept = np.zeros(len(trace.keys), bool)
    is_kept[by_popularity[np.diff(steps) > 0]] = True
    return _without(trace, own & (trace.key >= 0) & ~is_kept[np.maximum(trace.key, 0)])


def fewer_reads(trace: Trace, number: int, share: float) -> Trace:
    """A share of the reads, of all keys and times alike.

    >>> from vestigo import synth
    >>> 900 < fewer_reads(synth(2_000, keys=50, seed=1), 0, 0.5).reads < 1_100
    True
    """
    is_read = (trace.lookup == number) & (trace.op == Op.READ)
    return _without(trace, is_read & (_drawn(len(trace)) >= share))


def fewer_nulls(trace: Trace, number: int, share: float) -> Trace:
    """A share of the reads that find nothing."""
    known = trace.once("truths for drift", lambda: truths(trace))
    is_null = (trace.lookup == number) & (trace.op == Op.READ) & known.null
    return _without(trace, is_null & (_drawn(len(trace)) >= share))


def fewer_changes(trace: Trace, number: int, share: float) -> Trace:
    """A share of the changes from a value to another. Where a change is left out, the older value goes on, and a write
    that brought it is left out, too. Versions are no longer named.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 2], "key": ["a"] * 3, "version": ["x", "y", "z"]})
    >>> len(set(fewer_changes(trace, 0, 0.0).version.tolist()))
    1
    """
    known = trace.once("truths for drift", lambda: truths(trace))
    row = by_key(trace, np.flatnonzero((trace.lookup == number) & (trace.op <= LAST_VALUED)))
    key, value, null = trace.key[row], known.value[row], known.null[row]
    is_change = changed(key, value)
    between_values = is_change & ~null
    between_values[1:] &= ~null[:-1]
    dropped = between_values & (_drawn(len(row)) >= share)
    own = int(trace.version.max(initial=MISSING)) + 1 + np.cumsum(is_change & ~dropped)
    version, found = trace.version.copy(), trace.found.copy()
    version[row] = np.where(null, MISSING, own)
    found[row] = ~null
    is_out = np.zeros(len(trace), bool)
    is_out[row[dropped & (trace.op[row] == Op.WRITE)]] = True
    return _without(dataclasses.replace(trace, version=version, versions=(), found=found), is_out)


def sizes_like(trace: Trace, number: int, sizes: Longs) -> Trace:
    """With sizes that are spread as `sizes` are. What is larger than others stays larger than they are."""
    is_sized = (trace.lookup == number) & (trace.size >= 0)
    return dataclasses.replace(trace, size=_spread_as(trace.size, is_sized, sizes))


def costs_like(trace: Trace, number: int, costs: Longs) -> Trace:
    """With costs that are spread as `costs` are."""
    is_timed = (trace.lookup == number) & (trace.cost >= 0)
    return dataclasses.replace(trace, cost=_spread_as(trace.cost, is_timed, costs))


def _spread_as(column: Longs, rows: np.ndarray, amounts: Longs) -> Longs:
    new = column.copy()
    if len(amounts) and rows.any():
        new[rows] = _mapped(column[rows], amounts)
    return new


def _mapped(own: Longs, amounts: Longs) -> Longs:
    """Each amount as the one that stands as high among the others."""
    ordered = np.sort(own)
    place = (np.searchsorted(ordered, own, "left") + np.searchsorted(ordered, own, "right")) / 2 / len(own)
    found: Longs = np.rint(np.interp(place, _QUANTILES, np.quantile(amounts, _QUANTILES))).astype(np.int64)
    return found


def _drawn(number: int) -> np.ndarray:
    return np.random.default_rng(0).random(number)


def _without(trace: Trace, rows: np.ndarray) -> Trace:
    """Without these rows, but for the first and the last of the trace, which say when it was recorded."""
    kept = ~rows
    kept[[0, -1]] = True
    return trace.take(np.flatnonzero(kept))
