"""Runs the kernel's curve: a trace's batches in, hits at every size out."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.assumed import Assumed
from vestigo.prepared.batches import batches
from vestigo.prepared.entries import entries_of
from vestigo.trace import Trace
from vestigo.trace.trace import Longs


class Ask(NamedTuple):
    """What is asked: of which look-ups, in one room; whether writes put their value in place, or are not seen; and the
    sizes (entries) and sliding lifetimes to tell apart, ascending.
    """

    chosen: Sequence[bool]
    of_nodes: Sequence[bool]
    """By look-up: whether each node has a room of its own, of the same size."""
    overhead_bytes: int
    replaces: bool
    sizes: Sequence[int] = ()
    lifetimes_ns: Sequence[int] = ()


class SizeCounts(NamedTuple):
    """Reads, and of those that find their key: how many at each depth."""

    reads: int
    by_entries: Longs
    """By how many entries are as recent as the key's."""
    largest_bytes: Longs
    """Of each bin of depths in bytes."""
    by_bytes: Longs
    surface: Longs
    """By the first of the sizes that is no less than the depth, and the first lifetime that is longer than the time
    since the last use; one more of each for what is beyond."""


def size_counts(trace: Trace, assumed: Assumed, ask: Ask, first_counted: int) -> SizeCounts:
    """Of all events from `first_counted` on; those before are replayed, but not counted."""
    entries = entries_of(trace, tuple(bool(trace.nodes) and apart for apart in ask.of_nodes))
    lookups = trace.key_lookup if entries.keys is None else trace.key_lookup[entries.keys]
    curve = kernel.Curve(
        np.ascontiguousarray(lookups if len(lookups) else np.zeros(1), np.int32),
        entries.nodes,
        np.array(list(ask.chosen) or [True], np.uint8),
        ask.overhead_bytes,
        ask.replaces,
        list(ask.sizes),
        list(ask.lifetimes_ns),
    )
    uncounted = first_counted
    for batch in batches(trace, assumed, entries) if len(trace) else ():
        curve.feed(batch, min(uncounted, batch.events))
        uncounted = max(uncounted - batch.events, 0)
    reads, by_entries, largest, by_bytes, cells = curve.counts()
    return SizeCounts(
        reads, by_entries, largest, by_bytes, cells.reshape(len(ask.sizes) + 1, len(ask.lifetimes_ns) + 1)
    )
