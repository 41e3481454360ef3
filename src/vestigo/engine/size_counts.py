"""Runs the kernel's curve: it takes the batches of a trace and returns the hits at every size. Batches that are kept
are taken in stretches of time, side by side.
"""

import os
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.batches import Batch, are_made_anew, batches, kept_as
from vestigo.prepared.entries import entries_of
from vestigo.prepared.fill import Assumed
from vestigo.prepared.memory import settled
from vestigo.prepared.part import Part
from vestigo.threads import are_at_work, each_side_by_side
from vestigo.trace import Trace
from vestigo.trace.trace import Longs


class Ask(NamedTuple):
    """What is asked: the look-ups that share the room, whether writes store their value or are ignored, and the sizes
    (entries) and sliding lifetimes to tell apart, ascending.
    """

    chosen: Sequence[bool]
    of_nodes: Sequence[bool]
    """For each look-up, whether each node has its own room of the same size."""
    overhead_bytes: int
    replaces: bool
    sizes: Sequence[int] = ()
    lifetimes_ns: Sequence[int] = ()


class SizeCounts(NamedTuple):
    """The number of reads, and how many of them find their key at each depth."""

    reads: int
    by_entries: Longs
    """Reads by depth: how many entries are at least as recent as the key's."""
    largest_bytes: Longs
    """The same for each bin of depths in bytes."""
    by_bytes: Longs
    surface: Longs
    """Reads by the first size that is not less than the depth, and by the first lifetime longer than the time since the
    last use. The last row and column hold what is beyond all of them.
    """


def size_counts(trace: Trace, assumed: Assumed, ask: Ask, first_counted: int) -> SizeCounts:
    """Counts from the event `first_counted` on. Earlier events are replayed but not counted."""
    chosen = tuple(np.flatnonzero(ask.chosen).tolist())
    part = Part(chosen, tuple(bool(trace.nodes) and ask.of_nodes[one] for one in chosen), (False,) * len(chosen))
    entries = entries_of(trace, part)
    lookups = part.numbered(
        trace.key_lookup if entries.keys is None else trace.key_lookup[entries.keys], len(trace.lookups)
    )
    settings = (
        settled(np.maximum(lookups, 0) if len(lookups) else np.zeros(1, np.int32)),
        entries.nodes,
        np.ones(max(len(chosen), 1), np.uint8),
        ask.overhead_bytes,
        ask.replaces,
        list(ask.sizes),
        list(ask.lifetimes_ns),
    )

    def taken(stretch: tuple[int, Iterable[Batch]]) -> kernel.Curve:
        number, its_batches = stretch
        curve = kernel.Curve(*settings, number > 0)
        for batch in its_batches:
            curve.feed(batch.columns, batch.rows_before(first_counted))
        return curve

    first, *later = each_side_by_side(taken, list(enumerate(_stretches(trace, assumed, part))))
    for curve in later:
        first.take_later(curve, curve is later[-1])
    reads, by_entries, largest, by_bytes, cells = first.counts()
    return SizeCounts(
        reads, by_entries, largest, by_bytes, cells.reshape(len(ask.sizes) + 1, len(ask.lifetimes_ns) + 1)
    )


def _stretches(trace: Trace, assumed: Assumed, part: Part) -> list[Iterable[Batch]]:
    """The batches of the trace in order: all, or, if they are kept, about as many for each core."""
    made = batches(trace, assumed, part) if len(trace) else iter(())
    if are_at_work() or are_made_anew(trace, kept_as(assumed, part)):
        return [made]
    kept = list(made)
    stretches = max(min(os.cpu_count() or 1, len(kept)), 1)
    cuts = [len(kept) * number // stretches for number in range(stretches + 1)]
    return [kept[begin:end] for begin, end in pairwise(cuts)]
