"""Which entries can exist: one for each key, or one for each key and node where each node has its own cache.

Keys on nodes are numbered by first appearance, once for a trace, so that a replay sees only more keys.
"""

from collections.abc import Iterator

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.memory import settled
from vestigo.prepared.truth import keys_or_0
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_KEYED, Ints

Flags = tuple[bool, ...]
"""By look-up."""


class Entries:
    """The entries of a trace. `keys` and `nodes` have the key and the node of each. The node is 0 for rows that name
    none, and for look-ups whose nodes share a cache. None means that entries are keys, without nodes.
    """

    def __init__(self, trace: Trace, of_nodes: Flags, copied: Flags) -> None:
        self.keys: Ints | None = None
        self.nodes: Ints | None = None
        self.places: Ints | None = None
        """Each one's place in a table of look-ups by nodes."""
        self.is_first: np.ndarray | None = None
        """Whether no other entry of its key is loaded before it."""
        self.count = max(len(trace.keys), 1)
        self._of_nodes = np.array([*of_nodes, False])
        self._has_unnamed = has_unnamed_node(trace)
        several = len(trace.nodes) + self._has_unnamed > 1 and len(trace.keys) > 0
        self.apart = of_nodes if several else (False,) * len(of_nodes)
        """By look-up: whether each node has entries of its own."""
        self._apart = np.array([*self.apart, False])
        if not any(self.apart):
            return
        self._numbering = kernel.Numbering(len(trace.keys))
        written = np.zeros(len(trace.keys), bool)
        for part in trace.parts():
            self.ids(part)
            rows = part.key[(part.op == Op.WRITE) | (part.op == Op.REMOVE)]
            written[rows] = True
        self._number_copies(trace, np.flatnonzero(written & np.array([*copied, False])[trace.key_lookup]))
        self.keys, self.nodes = self._numbering.keys(), self._numbering.nodes()
        self.places = trace.key_lookup[self.keys] * np.int32(len(trace.nodes) + 1) + self.nodes
        self.is_first = self._numbering.is_first()
        self.count = max(len(self.keys), 1)

    def ids(self, part: Trace) -> Ints:
        """The entries of the rows of a part. It is 0 where a row has no key."""
        key = keys_or_0(part)
        if not self._apart.any():
            return key
        keyed, loads = part.op <= LAST_KEYED, (part.op == Op.READ) | (part.op == Op.PRELOAD)
        if keyed.all():
            return self._number(key, self._nodes(part), loads)
        ids = np.zeros(len(part), np.int32)
        ids[keyed] = self._number(settled(part.key[keyed]), self._nodes(part)[keyed], loads[keyed])
        return settled(ids)

    def is_elsewhere(self, part: Trace) -> np.ndarray:
        """The rows that write from no node, where every reader has one."""
        writes = (part.op == Op.WRITE) | (part.op == Op.REMOVE)
        if self._has_unnamed or not self._of_nodes.any():
            return np.zeros(len(part), bool)
        elsewhere: np.ndarray = writes & (part.node < 0) & self._of_nodes[part.lookup]
        return elsewhere

    def _number(self, key: Ints, node: Ints, loads: np.ndarray) -> Ints:
        own = settled(np.ascontiguousarray(node, np.int32)), settled(loads.view(np.uint8))
        ids: Ints = self._numbering.number(np.ascontiguousarray(key), *own)
        return ids

    def _nodes(self, part: Trace) -> Ints:
        if self._apart[:-1].all():
            return part.node + np.int32(1)
        nodes: Ints = np.where(self._apart[part.lookup], part.node + np.int32(1), np.int32(0))
        return nodes

    def _number_copies(self, trace: Trace, keys: np.ndarray) -> None:
        for node in range(0 if self._has_unnamed else 1, len(trace.nodes) + 1):
            self._number(keys.astype(np.int32), np.full(len(keys), node, np.int32), np.zeros(len(keys), bool))


def entries_of(trace: Trace, of_nodes: Flags = (), copied: Flags = ()) -> Entries:
    """The entries of a trace. `of_nodes` says which look-ups have a cache on each node, and `copied` which copy writes
    to other nodes. By default none do.

    Worked out once for a trace, for all replays of it.
    """
    nowhere = (False,) * len(trace.lookups)
    which = of_nodes if any(of_nodes) else nowhere, copied if any(copied) else nowhere
    return trace.once(("entries", which), lambda: Entries(trace, *which))


def has_unnamed_node(trace: Trace) -> bool:
    """Whether rows that name no node are one more node: because some of them read, or because no row names one."""
    return trace.once("unnamed node", lambda: not trace.nodes or any(_some_unnamed(trace)))


def _some_unnamed(trace: Trace) -> Iterator[bool]:
    for part in trace.parts():
        yield bool(np.any(((part.op == Op.READ) | (part.op == Op.PRELOAD)) & (part.node < 0)))
