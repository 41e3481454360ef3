"""When each key is read next, for policies that know the future."""

import numpy as np

from vestigo.prepared.settled import settled
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import Longs

NO_READ = 2**62
"""The number of a read that never comes."""

Whose = tuple[str, ...]
"""Of each look-up: who has a cache of their own."""


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
