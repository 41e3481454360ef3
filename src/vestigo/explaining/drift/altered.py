"""A recording with other traits in one look-up: more keys; fewer reads, nulls or changes; other sizes or costs.

Each function takes a trace and the number of a look-up, and returns a new trace. Random draws are the same at every
call. What other look-ups do is not touched.
"""

import dataclasses

import numpy as np

from vestigo.explaining.drift.traits import truths_of
from vestigo.prepared.neighbours import by_key, changed
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.names import Names, arrow_names
from vestigo.trace.trace import LAST_VALUED, Longs

_QUANTILES = np.linspace(0.0, 1.0, 257)


def more_keys(trace: Trace, number: int, times: float) -> Trace:
    """`times` as many keys, with the same reads: each key becomes several, and each of its reads asks for one of them.
    What else happens to a key happens to all of these.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 2, 3], "key": ["a", "a", "a", "b"], "op": ["read", "write", "read", "read"]})
    >>> more = more_keys(trace, 0, 2)
    >>> more.reads, len(more.keys), more.op.tolist().count(Op.WRITE)
    (3, 4, 2)
    """
    own = (trace.lookup == number) & (trace.key >= 0)
    is_read, key = own & (trace.op == Op.READ), np.maximum(trace.key, 0)
    keys = np.flatnonzero(trace.key_lookup == number)
    reads = np.bincount(trace.key[is_read], minlength=len(trace.keys))[keys]
    copies = np.ones(len(trace.keys), np.int64)
    by_popularity = keys[np.lexsort((keys, -reads))]
    copies[by_popularity] = np.maximum(np.diff(np.floor(np.arange(len(keys) + 1) * times + 1e-9)), 1)
    first_copy = len(trace.keys) + np.cumsum(copies - 1) - (copies - 1)
    times_there = np.where(own & ~is_read, copies[key], 1)
    row = np.repeat(np.arange(len(trace)), times_there)
    which = np.arange(len(row)) - (np.cumsum(times_there) - times_there)[row]
    which = np.where(is_read[row], (_drawn(len(row)) * copies[key[row]]).astype(np.int64), which)
    changed_key = np.where(which > 0, first_copy[key[row]] + which - 1, trace.key[row])
    places = np.concatenate([np.arange(len(trace.keys)), np.repeat(np.arange(len(trace.keys)), copies - 1)])
    return dataclasses.replace(
        trace.take(row),
        key=changed_key.astype(np.int32),
        keys=Names(arrow_names(trace.keys), places),
        key_lookup=trace.key_lookup[places],
    )


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
    known = truths_of(trace)
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
    known = truths_of(trace)
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
