"""Sizes and costs that a trace does not give (docs/semantics.md, section 1)."""

import numpy as np

from vestigo.trace import Op, Trace
from vestigo.trace.trace import MISSING, Longs

ASSUMED_SIZE = 1024
ASSUMED_COST = 0

Flags = np.ndarray


def fill_sizes(trace: Trace, null: Flags) -> Longs:
    """Bytes of every read's and write's value. `null`: rows at which the truth is null."""
    if not (trace.size == MISSING).any():
        return trace.size
    size = np.where((trace.size == MISSING) & null, 0, trace.size)
    medians = _medians(trace, trace.size, null, ASSUMED_SIZE)
    reads = (trace.op == Op.READ) & (size == MISSING)
    size[reads] = medians[trace.lookup[reads]]
    writes = np.flatnonzero((trace.op == Op.WRITE) & (size == MISSING))
    if len(writes):
        size[writes] = _last_sizes(trace, size, null, medians)[writes]
    size[size == MISSING] = 0  # clears and restarts
    return size


def fill_costs(trace: Trace, null: Flags) -> Longs:
    """How long the origin took for every read, in ns."""
    if not (trace.cost == MISSING).any():
        return trace.cost
    missing = trace.cost == MISSING
    cost = np.where(missing, 0, trace.cost)
    reads = (trace.op == Op.READ) & missing
    cost[reads] = _medians(trace, trace.cost, null, ASSUMED_COST)[trace.lookup[reads]]
    return cost


def _medians(trace: Trace, column: Longs, null: Flags, assumed: int) -> Longs:
    """The lower median of each look-up, over the reads that give one and found a value."""
    given = np.flatnonzero((trace.op == Op.READ) & (column != MISSING) & ~null)
    order = given[np.lexsort((column[given], trace.lookup[given]))]
    medians = np.full(len(trace.lookups), assumed, np.int64)
    lookups, starts, counts = np.unique(trace.lookup[order], return_index=True, return_counts=True)
    medians[lookups] = column[order[starts + (counts - 1) // 2]]
    return medians


def _last_sizes(trace: Trace, size: Longs, null: Flags, medians: Longs) -> Longs:
    """For every row: the size in its key's last row that gave a value, else its look-up's median."""
    keyed = np.flatnonzero(trace.op <= Op.REMOVE)
    order = keyed[np.argsort(trace.key[keyed], kind="stable")]
    key, known = trace.key[order], (size[order] != MISSING) & ~null[order]
    last = np.maximum.accumulate(np.where(known, np.arange(len(order)), -1))
    has = (last >= 0) & (key[last] == key)
    result = np.full(len(trace), MISSING, np.int64)
    result[order] = np.where(has, size[order[last]], medians[trace.key_lookup[key]])
    return result
