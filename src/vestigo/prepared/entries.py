"""Which entries can exist: one for each key, or one for each key and node where each node has its own cache.

They are numbered from 0, in a part of a trace only its own. Keys on nodes are numbered by first appearance, so that a
replay sees only more keys.
"""

from collections.abc import Iterator

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.memory import BATCH_EVENTS, is_long, settled
from vestigo.prepared.part import Part
from vestigo.prepared.truth import keys_or_0
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_KEYED, Ints


class Entries:
    """The entries of a part of a trace. `keys` and `nodes` have the key and the node of each. The node is 0 for rows
    that name none, and for look-ups whose nodes share a cache. None means that entries are keys, without nodes.
    """

    def __init__(self, trace: Trace, part: Part) -> None:
        self.keys: Ints | None = None
        self.nodes: Ints | None = None
        self.is_first: np.ndarray | None = None
        """Whether no other entry of its key is loaded before it, on whichever node."""
        self.count = max(len(trace.keys), 1)
        self._has_unnamed = has_unnamed_node(trace)
        self._of_nodes = _by_lookup(trace, part, part.of_nodes)
        several = len(trace.nodes) + self._has_unnamed > 1 and len(trace.keys) > 0
        self.apart = part.of_nodes if several else (False,) * len(part.lookups)
        """By look-up of the part: whether each node has entries of its own."""
        self._apart = _by_lookup(trace, part, self.apart)
        self._numbers: Ints | None = None
        """The number of each key, or of each key and node that are numbered."""
        self._of_rows: dict[int, Ints] = {}
        """What `numbered` gives, by the first row of a block, for the part's own rows with a key."""
        if any(self.apart):
            self._choose_pairs(trace, part)
        elif len(part.lookups) < len(trace.lookups):
            self._choose(np.isin(trace.key_lookup, part.lookups), np.arange(len(trace.keys), dtype=np.int32))

    def numbered(self, events: Trace, is_own: np.ndarray | None, begin: int) -> Ints:
        """The number of each key among the trace's, or of each key and node among those of the part's look-ups, in the
        block that begins at a row of the trace. Where an event is not the part's own, or has no key, any.
        """
        if not self._apart.any():
            return keys_or_0(events)
        keyed = events.op <= LAST_KEYED if is_own is None else is_own & (events.op <= LAST_KEYED)
        known = self._of_rows.get(begin)
        if known is None or len(known) != np.count_nonzero(keyed):  # a long trace, or other blocks
            rows = np.flatnonzero(keyed)
            known = self._number(events.key[rows], events.lookup[rows], events.node[rows], events.op[rows])
        if len(known) == len(events):
            return known
        ids = np.zeros(len(events), np.int32)
        ids[keyed] = known
        return settled(ids)

    def ids(self, numbered: Ints) -> Ints:
        """The entries of what `numbered` gives for all nodes."""
        return numbered if self._numbers is None else settled(self._numbers[numbered])

    def is_elsewhere(self, events: Trace) -> np.ndarray:
        """The events that write from no node, where every reader has one."""
        if self._has_unnamed or not self._of_nodes.any() or not events.op.any():
            return np.zeros(len(events), bool)
        elsewhere: np.ndarray = _writes(events.op) & (events.node < 0) & self._of_nodes[events.lookup]
        return elsewhere

    def _choose_pairs(self, trace: Trace, part: Part) -> None:
        if part.node is None:
            self._number_all(trace, part)
            self.keys, self.nodes = self._numbering.keys(), self._numbering.nodes()
            self.is_first = self._numbering.is_first()
            self.count = max(len(self.keys), 1)
            if not len(self.keys):
                self._choose(np.zeros(0, bool), self.keys)
        else:
            everywhere = entries_of(trace, part.everywhere)
            keys, self.nodes, self.is_first = everywhere.keys, everywhere.nodes, everywhere.is_first
            assert keys is not None and self.nodes is not None
            self._choose(self.nodes == part.node, keys)

    def _number_all(self, trace: Trace, part: Part) -> None:
        self._numbering, begin = kernel.Numbering(len(trace.keys)), 0
        written = np.zeros(len(trace.keys), bool)
        for block in trace.blocks(BATCH_EVENTS):
            rows = np.flatnonzero(part.own(block) & (block.op <= LAST_KEYED))
            key, op = block.key[rows], block.op[rows]
            ids = self._number(key, block.lookup[rows], block.node[rows], op)
            if not is_long(len(trace)):
                self._of_rows[begin] = ids
            if op.any():
                written[key[_writes(op)]] = True
            begin += len(block)
        self._number_copies(trace, np.flatnonzero(written & _by_lookup(trace, part, part.copied)[trace.key_lookup]))

    def _choose(self, own: np.ndarray, keys: Ints) -> None:
        """Leaves those that are the part's own. There is always one, even if none of its rows has a key."""
        chosen = np.flatnonzero(own)
        self._numbers = np.zeros(max(len(own), 1), np.int32)
        self._numbers[chosen] = np.arange(len(chosen), dtype=np.int32)
        self.count = max(len(chosen), 1)
        chosen = chosen if len(chosen) else np.zeros(1, np.int64)
        self.keys = settled(keys[chosen] if len(keys) else np.zeros(1, np.int32))
        self.nodes = self.nodes if self.nodes is None else settled(_at(self.nodes, chosen))
        self.is_first = self.is_first if self.is_first is None else settled(_at(self.is_first, chosen))

    def _number(self, key: Ints, lookup: Ints, node: Ints, op: np.ndarray) -> Ints:
        """The numbers of keys on nodes."""
        nodes = node + np.int32(1)
        if not all(self.apart):
            nodes[~self._apart[lookup]] = 0
        loads = (op == Op.READ) | (op == Op.PRELOAD)
        ids: Ints = self._numbering.number(settled(key), settled(nodes), settled(loads.view(np.uint8)))
        return ids

    def _number_copies(self, trace: Trace, keys: np.ndarray) -> None:
        for node in range(0 if self._has_unnamed else 1, len(trace.nodes) + 1):
            nodes, loads = np.full(len(keys), node, np.int32), np.zeros(len(keys), np.uint8)
            self._numbering.number(settled(keys.astype(np.int32)), settled(nodes), settled(loads))


def entries_of(trace: Trace, part: Part) -> Entries:
    """Worked out once for a trace, for all replays of the part."""
    return trace.once(("entries", part), lambda: Entries(trace, part))


def has_unnamed_node(trace: Trace) -> bool:
    """Whether rows that name no node are one more node: because some of them read, or because no row names one."""
    return trace.once("unnamed node", lambda: not trace.nodes or any(_some_unnamed(trace)))


def _writes(op: np.ndarray) -> np.ndarray:
    writes: np.ndarray = (op == Op.WRITE) | (op == Op.REMOVE)
    return writes


def _some_unnamed(trace: Trace) -> Iterator[bool]:
    for block in trace.blocks():
        yield bool(np.any(((block.op == Op.READ) | (block.op == Op.PRELOAD)) & (block.node < 0)))


def _by_lookup(trace: Trace, part: Part, flags: tuple[bool, ...]) -> np.ndarray:
    """Flags of a part's look-ups, by the trace's number. The last one stands for rows of no look-up."""
    found = np.zeros(len(trace.lookups) + 1, bool)
    found[list(part.lookups)] = flags
    return found


def _at(column: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    return column[chosen] if len(column) else np.zeros(len(chosen), column.dtype)
