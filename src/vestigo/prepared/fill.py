"""What stands for missing sizes and costs, and how long reads would have waited without a cache."""

from collections.abc import Callable, Iterable, Iterator
from functools import cache
from typing import NamedTuple

import numpy as np

from vestigo.prepared import memory
from vestigo.prepared.counting import Slicing
from vestigo.prepared.median import Values, lower_medians
from vestigo.prepared.truth import Flags, parts_with_truth
from vestigo.rules import Plan, Rules
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_VALUED, Longs, Range

Parts = Callable[[], Iterable[tuple[Trace, Flags]]]
"""Of a trace, in order, from its beginning at every call; with the rows at which the truth is null."""


_USUAL = Rules()


class Assumed(NamedTuple):
    """For each look-up, what stands for its sizes and costs if it gives none."""

    size: tuple[int, ...]
    cost: tuple[int, ...]


def assume(trace: Trace, plan: Plan) -> Assumed:
    """What the plan assumes where the trace leaves something open."""
    rules = [plan.rules_for(name) for name in trace.lookups]
    defaults = [_USUAL] * len(rules)
    sizes = rules if trace.size_range.least == MISSING else defaults
    costs = rules if trace.cost_range.least == MISSING else defaults
    return Assumed(tuple(one.assume_size for one in sizes), tuple(int(one.assume_cost) for one in costs))


class Usual(NamedTuple):
    """For each look-up, the lower median over the reads that give a size, or a cost, and found a value."""

    size: Longs
    cost: Longs


def usual(trace: Trace, parts: Parts, assumed: Assumed) -> Usual:
    def given(name: str) -> Callable[[], Iterable[Values]]:
        def values() -> Iterable[Values]:
            for part, null in parts():
                column = getattr(part, name)
                rows = (part.op == Op.READ) & (column != MISSING) & ~null
                yield part.lookup[rows], column[rows]

        return values

    def median(name: str, span: Range, otherwise: tuple[int, ...]) -> Longs:
        usual = np.array(otherwise, np.int64)
        if span.least != MISSING:
            return usual  # nothing to fill in
        return lower_medians(given(name), len(usual), span.most, usual)

    return Usual(median("size", trace.size_range, assumed.size), median("cost", trace.cost_range, assumed.cost))


class Filler:
    """Fills in the parts of a trace, one after the other."""

    def __init__(self, trace: Trace, usual: Usual) -> None:
        self._usual = usual
        writes_lack = trace.once("writes without size", lambda: any(_some_writes_lack_a_size(trace)))
        # For each key, the size in its last row that gave a value, if some write needs it.
        self._last = usual.size[trace.key_lookup] if writes_lack else None

    def sizes(self, part: Trace, null: Flags) -> Longs:
        """Bytes of every value that is read, written or preloaded."""
        size, missing = part.size, part.size == MISSING
        if missing.any():
            size = np.where(missing & null, 0, part.size)
            loads = missing & ~null & ((part.op == Op.READ) | (part.op == Op.PRELOAD))
            size[loads] = self._usual.size[part.lookup[loads]]
            writes = np.flatnonzero((part.op == Op.WRITE) & (size == MISSING))
            if self._last is not None and len(writes):
                size[writes] = _last_sizes(part, size, null, self._last)[writes]
            size[size == MISSING] = 0  # clears and restarts
        if self._last is not None:
            values = (part.op <= LAST_VALUED) & ~null
            self._last[part.key[values]] = size[values]
        return size

    def costs(self, part: Trace) -> Longs:
        """How long the origin took for every event of a key, or would have taken, in ns."""
        missing = part.cost == MISSING
        if not missing.any():
            return part.cost
        cost = np.where(missing, 0, part.cost)
        keyed = missing & (part.op <= LAST_VALUED)
        cost[keyed] = self._usual.cost[part.lookup[keyed]]
        return cost


def largest_given(trace: Trace, name: str) -> Longs:
    """For each look-up, the largest size, or cost, that the trace gives. MISSING if it gives none."""
    return trace.once(("largest", name), lambda: _largest_given(trace, name))


def _largest_given(trace: Trace, name: str) -> Longs:
    largest = np.full(len(trace.lookups), MISSING, np.int64)
    for block in trace.blocks():
        valued = block.op <= LAST_VALUED
        np.maximum.at(largest, block.lookup[valued], getattr(block, name)[valued])
    return largest


def _some_writes_lack_a_size(trace: Trace) -> Iterator[bool]:
    for block in trace.blocks():
        yield bool(np.any((block.op == Op.WRITE) & (block.size == MISSING)))


def filler(trace: Trace, assumed: Assumed | None = None) -> Filler:
    """A filler for the parts of the trace, from the first on. By default it assumes what the rules assume by
    default.
    """
    of = assumed or assume(trace, Plan())

    def parts() -> Iterable[tuple[Trace, Flags]]:
        return ((part, truth.null) for part, truth in parts_with_truth(trace))

    def made() -> Usual:
        return usual(trace, parts if memory.is_long(len(trace)) else cache(lambda: list(parts())), of)

    return Filler(trace, trace.once(("usual", of), made))


def _last_sizes(part: Trace, size: Longs, null: Flags, before: Longs) -> Longs:
    """For every row, the size in the last row that gave its key a value. `before` has the sizes from earlier parts."""
    keyed = np.flatnonzero(part.op <= LAST_VALUED)
    order = keyed[np.argsort(part.key[keyed], kind="stable")]
    key, known = part.key[order], (size[order] != MISSING) & ~null[order]
    last = np.maximum.accumulate(np.where(known, np.arange(len(order)), -1))
    here = (last >= 0) & (key[last] == key)
    result = np.full(len(part), MISSING, np.int64)
    result[order] = np.where(here, size[order[last]], before[key])
    return result


class Uncached(NamedTuple):
    """In ns, for the reads that count."""

    by_lookup: Longs
    by_slice: Longs


def uncached(trace: Trace, assumed: Assumed, first_counted: int, slicing: Slicing) -> Uncached:
    """Worked out once for a trace, for all replays that count the same reads."""
    asked = assumed, first_counted, slicing
    return trace.once(("uncached", asked), lambda: _uncached(trace, *asked))


def _uncached(trace: Trace, assumed: Assumed, first_counted: int, slicing: Slicing) -> Uncached:
    by_lookup, by_slice = np.zeros(len(trace.lookups), np.int64), np.zeros(slicing.most, np.int64)
    fill, begin = filler(trace, assumed), 0
    for block in trace.blocks(memory.BATCH_EVENTS):
        rows = np.flatnonzero(block.op == Op.READ)
        rows = rows[np.searchsorted(rows, first_counted - begin) :]
        cost = fill.costs(block)[rows]
        np.add.at(by_lookup, block.lookup[rows], cost)
        np.add.at(by_slice, (block.at[rows] - slicing.origin_ns) // slicing.width_ns, cost)
        begin += len(block)
    return Uncached(by_lookup, by_slice)
