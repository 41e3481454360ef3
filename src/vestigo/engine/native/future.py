"""What a policy that knows the future asks for: when each key is read next."""

from weakref import WeakKeyDictionary

import numpy as np

from vestigo.trace import Op, Trace

NO_READ = 2**62
"""The number of a read that never comes."""

_known: WeakKeyDictionary[Trace, np.ndarray] = WeakKeyDictionary()


def next_reads(trace: Trace) -> np.ndarray:
    """Of each event, the number of the event with its key's next read. It takes 8 bytes an event, and is kept."""
    if trace not in _known:
        _known[trace] = _next_reads(trace)
    return _known[trace]


def _next_reads(trace: Trace) -> np.ndarray:
    events = len(trace)
    by_key = np.argsort(trace.key, kind="stable")
    key, is_read = trace.key[by_key], trace.op[by_key] == Op.READ
    place = np.where(is_read, np.arange(events), events)
    following = np.append(
        np.minimum.accumulate(place[::-1])[::-1][1:], events
    )  # the place of the next read in this order
    found = np.append(key, -2)[following] == key
    numbers = np.append(by_key, 0)[following]
    result = np.empty(events, np.int64)
    result[by_key] = np.where(found, numbers, NO_READ)
    return result
