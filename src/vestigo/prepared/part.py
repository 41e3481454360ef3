"""``Part``: the rows of a trace that one replay needs, because nothing else in the trace makes a difference to them.

docs/semantics.md, "Parts", says what a part is. This says which rows it has. Beside its own they are the moments of the
whole that matter to it: the first and the last event, and the end of each of its scopes. There it has rows at which
nothing of its own happens.
"""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from vestigo.prepared.scopes import scopes_of
from vestigo.trace import Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_KEYED, Ints, Longs


class Part(NamedTuple):
    """Some look-ups of a trace, on all nodes or on one, and all that decides what is prepared of them."""

    lookups: tuple[int, ...]
    of_nodes: tuple[bool, ...]
    """By look-up: whether each node has a cache of its own."""
    copied: tuple[bool, ...]
    """By look-up: whether writes are copied to other nodes."""
    node: int | None = None
    """Nodes are counted from 1, and 0 stands for rows that name none. None: all nodes."""
    has_scopes: bool = False
    """Whether something ends with a scope."""

    @property
    def everywhere(self) -> "Part":
        """The part with all nodes."""
        return self._replace(node=None)

    def is_whole(self, trace: Trace) -> bool:
        return self.node is None and len(self.lookups) == len(trace.lookups)

    def numbered(self, lookups: Ints, of: int) -> Ints:
        """The numbers here of the trace's look-ups, of which there are `of`. It is MISSING for those that are not."""
        numbers = np.full(of + 1, MISSING, np.int32)
        numbers[list(self.lookups)] = np.arange(len(self.lookups), dtype=np.int32)
        here: Ints = numbers[lookups]
        return here

    def own(self, block: Trace) -> np.ndarray:
        """Whether each row is one of the part's own: those of its keys, and every clear and restart of theirs."""
        own: np.ndarray
        if len(self.lookups) == 1:
            own = (block.lookup == self.lookups[0]) | (block.lookup < 0)
        else:
            mine = np.zeros(len(block.lookups) + 1, bool)
            mine[list(self.lookups)] = True
            mine[-1] = True  # rows of no look-up are everybody's
            own = mine[block.lookup]
        if self.node is not None:
            own &= (block.node == self.node - 1) | ((block.op > LAST_KEYED) & (block.node < 0))
        return own


class Rows(NamedTuple):
    """Some of several events."""

    places: Longs
    """Where they are among them, ascending."""
    is_own: np.ndarray


def everything(trace: Trace) -> Part:
    """The whole trace, with one cache for all nodes."""
    lookups = range(len(trace.lookups))
    return Part(tuple(lookups), (False,) * len(lookups), (False,) * len(lookups))


def rows_of(part: Part, trace: Trace, events: Trace, begin: int, rows: Ints | None = None) -> Rows:
    """The rows that a part has among some events. Those are all from row `begin` of the trace on, or these `rows`,
    counted from there.
    """
    own = part.own(events)
    there = own.copy()
    end = begin + (len(events) if rows is None else int(rows[-1]) + 1 if len(rows) else 0)
    moments = _moments(part, trace)
    here = moments[slice(*np.searchsorted(moments, [begin, end]))] - begin
    there[here if rows is None else rows.searchsorted(here)] = True
    places = np.flatnonzero(there)
    return Rows(places, own[places])


def _moments(part: Part, trace: Trace) -> Longs:
    """The rows of the whole at which a part has a row in any case. Worked out once."""
    return trace.once(("moments", part), lambda: np.unique([0, len(trace) - 1, *_ends_of_scopes(part, trace)]))


def _ends_of_scopes(part: Part, trace: Trace) -> Iterator[int]:
    if not part.has_scopes:
        return
    last_rows = scopes_of(trace).last_rows
    has_rows = np.zeros(len(last_rows), bool)
    for block in trace.blocks():
        has_rows[block.scope[part.own(block)] + 1] = True
    yield from last_rows[has_rows].tolist()
