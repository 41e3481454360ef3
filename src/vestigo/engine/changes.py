"""How a trace shows that values change at the origin: docs/semantics.md, section 4."""

from collections.abc import Sequence

import numpy as np

from vestigo.outcome import Changes
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING


def changes_of(trace: Trace) -> tuple[Changes, ...]:
    """How each look-up shows changes. This is worked out once for a trace.

    >>> from vestigo import read_trace
    >>> changes_of(read_trace({"at": [1, 2], "key": ["a", "a"], "lookup": ["x", "y"], "version": [7, None]}))
    ('in reads', 'nowhere')
    """
    return trace.once("changes", lambda: _changes_of(trace))


def together(shown: Sequence[Changes]) -> Changes:
    """How several look-ups show changes together: what is said of all must hold for each."""
    if "in reads" in shown:
        return "in reads"
    return "in writes" if "in writes" in shown else "nowhere"


def _changes_of(trace: Trace) -> tuple[Changes, ...]:
    written, named = (np.zeros(len(trace.lookups) + 1, bool) for _ in range(2))
    for block in trace.blocks():
        written[block.lookup[(block.op == Op.WRITE) | (block.op == Op.REMOVE)]] = True
        reads = (block.op == Op.READ) | (block.op == Op.PRELOAD)
        named[block.lookup[reads & (block.version != MISSING)]] = True
    return tuple(
        "in writes" if written[lookup] else "in reads" if named[lookup] else "nowhere"
        for lookup in range(len(trace.lookups))
    )
