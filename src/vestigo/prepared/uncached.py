"""How long reads would have waited without a cache. The trace alone tells this."""

from typing import NamedTuple

import numpy as np

from vestigo.prepared import memory
from vestigo.prepared.assumed import Assumed
from vestigo.prepared.counting import Slicing
from vestigo.prepared.fill import filler
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs


class Uncached(NamedTuple):
    """In ns, for the reads that count."""

    by_lookup: Longs
    by_slice: Longs


def uncached(trace: Trace, assumed: Assumed, first_counted: int, slicing: Slicing) -> Uncached:
    """Worked out once for a trace, for all replays that count the same reads."""
    asked = assumed, first_counted, slicing
    return trace.once(("uncached", asked), lambda: _uncached(trace, *asked))


def _uncached(trace: Trace, assumed: Assumed, first_counted: int, slicing: Slicing) -> Uncached:
    by_lookup, by_slice = np.zeros(len(trace.lookups), np.int64), np.zeros(slicing.most, np.int64)
    fill, begin = filler(trace, assumed), 0
    for part in trace.parts(memory.BATCH_EVENTS):
        rows = np.flatnonzero(part.op == Op.READ)
        rows = rows[np.searchsorted(rows, first_counted - begin) :]
        cost = fill.costs(part)[rows]
        np.add.at(by_lookup, part.lookup[rows], cost)
        np.add.at(by_slice, (part.at[rows] - slicing.origin_ns) // slicing.width_ns, cost)
        begin += len(part)
    return Uncached(by_lookup, by_slice)
