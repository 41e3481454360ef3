"""When a bad moment would be worst, and how many calls an origin was seen to serve at once."""

import numpy as np

from vestigo.trace import Op, Trace
from vestigo.units import SECOND

MINUTE = 60 * SECOND
AFTER = 40 * MINUTE
"""How much of the trace is looked at after a bad moment."""
_BEFORE = 20 * MINUTE
"""So much of the trace comes before it, so that caches have filled."""


def worst_minute(trace: Trace, from_ns: int) -> int:
    """When the minute of the clock begins that has most reads, of those from a moment on. In a trace of some hours,
    caches have filled before it, and as much comes after it as is looked at.
    """
    end = int(trace.at[-1])
    begin = max(int(trace.at[0]) + min(_BEFORE, trace.span_ns // 4), from_ns)
    latest = end - AFTER if end - AFTER > begin else end
    first = -(-begin // MINUTE)
    minutes = np.zeros(max(latest // MINUTE - first + 1, 1), np.int64)
    for block in trace.blocks():
        number = block.at[block.op == Op.READ] // MINUTE - first
        minutes += np.bincount(number[(number >= 0) & (number < len(minutes))], minlength=len(minutes))
    return max(int(first + minutes.argmax()) * MINUTE, begin) if minutes.any() else begin


def most_at_once(trace: Trace) -> int:
    """The most reads of the recording that the origin answered at the same moment, by the costs that it gives.

    >>> from vestigo import read_trace
    >>> most_at_once(read_trace({"at": [0, 4, 9, 9], "key": ["a", "b", "c", "d"], "cost": [10, 5, 1, 1]}))
    3
    """
    reads = np.flatnonzero(trace.op == Op.READ)
    cost = trace.cost[reads]
    begins = trace.at[reads][cost > 0]
    ends = np.sort(begins + cost[cost > 0])
    under_way = np.arange(1, len(begins) + 1) - np.searchsorted(ends, begins, side="right")
    return int(under_way.max(initial=0))
