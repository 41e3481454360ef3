"""When scopes end and how many are under way at once. A replay with a cache for each scope must know this ahead."""

from typing import NamedTuple

import numpy as np

from vestigo.trace import Trace
from vestigo.trace.trace import LAST_KEYED, Longs


class Scopes(NamedTuple):
    """The scopes of a trace. Rows that name no scope are the first one."""

    last_rows: Longs
    """The last row of each scope."""
    at_once: int
    """The largest number of scopes under way at once: some of their rows have come, others are still to come."""
    keys_at_once: int
    """The largest number of rows with a key in such scopes. No more keys can be held for them."""
    rows_under_way: int
    """The sum over all scopes of the rows from the first to the last of each."""


def scopes_of(trace: Trace) -> Scopes:
    """Worked out once for a trace, for all replays of it."""
    return trace.once("scopes", lambda: _scopes_of(trace))


def _scopes_of(trace: Trace) -> Scopes:
    most = int(trace.scope.max()) + 2
    first, last, rows = np.full(most, -1), np.full(most, -1), np.zeros(most, np.int64)
    begin = 0
    for block in trace.blocks():
        scope, number = block.scope + 1, begin + np.arange(len(block))
        last[scope] = number  # of positions that are named twice, the last one stays
        new = np.flatnonzero(first[scope] < 0)[::-1]
        first[scope[new]] = number[new]
        rows += np.bincount(scope[block.op <= LAST_KEYED], minlength=most)
        begin += len(block)
    there = np.flatnonzero(last >= 0)
    return Scopes(
        last,
        _most_at_once(first[there], last[there], np.ones(len(there), np.int64)),
        _most_at_once(first[there], last[there], rows[there]),
        int((last - first).sum()),
    )


def _most_at_once(first: Longs, last: Longs, amount: Longs) -> int:
    """The largest sum of the amounts of the scopes that are under way at one row."""
    rows = np.concatenate([first, last + 1])
    order = np.lexsort((np.repeat([1, 0], len(first)), rows))  # at one row, what ends goes before what begins
    return int(np.concatenate([amount, -amount])[order].cumsum().max(initial=0))
