"""A trace, or a part of it, as the kernel reads it: in batches, each of which is made ready when it is needed."""

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.errors import TraceError
from vestigo.prepared import memory
from vestigo.prepared.entries import Entries, entries_of
from vestigo.prepared.fill import Assumed, filler
from vestigo.prepared.memory import settled
from vestigo.prepared.part import Part, Rows, rows_of
from vestigo.prepared.truth import Truth, parts_with_truth
from vestigo.stopping import check
from vestigo.trace import Trace
from vestigo.trace.trace import LAST_KEYED, Ints, Longs

_ELSEWHERE = 5
"""The kernel's mark of a write that no reader's node makes (native/include/vestigo/columns.hpp)."""
_NOTHING = 7
"""Its mark of a moment at which nothing of a part happens."""


class Batch(NamedTuple):
    """Events of a part that are fed to the kernel at once."""

    columns: kernel.Columns
    begin: int
    """The first row of the trace that it covers."""
    rows: Ints | None
    """The rows of the part, counted from there. None: all."""

    @property
    def numbers(self) -> Longs:
        """The rows of the trace."""
        if self.rows is None:
            return np.arange(self.begin, self.begin + self.columns.events)
        return self.begin + self.rows.astype(np.int64)

    def rows_before(self, row: int) -> int:
        """How many of its events come before a row of the trace."""
        before = row - self.begin
        return int(np.clip(before, 0, self.columns.events) if self.rows is None else self.rows.searchsorted(before))

    def of(self, column: np.ndarray) -> np.ndarray:
        """Its rows of a column of the trace."""
        if self.rows is None:
            return column[self.begin : self.begin + self.columns.events]
        return settled(column[self.begin + self.rows])


Batches = Sequence[Batch | None]
"""Of the same rows of the trace, for several parts. None: a part has no row there."""


def batches(trace: Trace, assumed: Assumed, part: Part, events: int | None = None) -> Iterator[Batch]:
    """The batches of one part. Tests choose the number of `events` of the trace that a batch covers.

    Raises TraceError if its sizes or costs are too large to add up.
    """
    if events is None and not memory.is_long(len(trace)):
        make_ready(trace, assumed, [part])
        yield from trace.kept[_kept_as(assumed, part)]
    else:
        for (batch,) in _made(trace, assumed, [part], events):
            if batch is not None:
                yield batch


def make_ready(trace: Trace, assumed: Assumed, parts: Iterable[Part]) -> None:
    """Works out what serves all replays of these parts. These are their batches, unless the trace is long."""
    if memory.is_long(len(trace)):
        filler(trace, assumed)
        return
    missing = [part for part in dict.fromkeys(parts) if _kept_as(assumed, part) not in trace.kept]
    if missing:
        blocks = list(_made(trace, assumed, missing))
        for number, part in enumerate(missing):
            own = [block[number] for block in blocks]
            trace.kept.setdefault(_kept_as(assumed, part), [batch for batch in own if batch is not None])


def _kept_as(assumed: Assumed, part: Part) -> object:
    return "batches", part, *(tuple(each[lookup] for lookup in part.lookups) for each in assumed)


def _made(trace: Trace, assumed: Assumed, parts: Sequence[Part], events: int | None = None) -> Iterator[Batches]:
    """The batches of some parts, made together from one pass over the trace."""
    before: list[kernel.Columns | None] = [None] * len(parts)
    begin = 0
    for block in _filled(trace, assumed, events or memory.BATCH_EVENTS):
        found: list[Batch | None] = []
        for number, part in enumerate(parts):
            rows = None if part.is_whole(trace) else rows_of(part, trace, block.trace, begin)
            columns = _columns(block, part, entries_of(trace, part), rows, begin, before[number])
            before[number] = columns or before[number]
            found.append(None if columns is None else Batch(columns, begin, rows and rows.places))
        yield found
        begin += len(block.trace)


class _Block(NamedTuple):
    """Rows of the trace with all that is worked out of them."""

    trace: Trace
    size: Longs
    cost: Longs
    truth: Truth


def _filled(trace: Trace, assumed: Assumed, events: int) -> Iterator[_Block]:
    fill, costs = filler(trace, assumed), 0.0
    for block, truth in parts_with_truth(trace, events):
        check()
        size, cost = fill.sizes(block, truth.null), fill.costs(block)
        costs += float(cost.sum(dtype=np.float64))
        _check_sums(trace, int(size.max()), costs)
        yield _Block(block, settled(size), settled(cost), truth)


def _columns(  # noqa: PLR0913, PLR0917
    block: _Block, part: Part, entries: Entries, rows: Rows | None, begin: int, before: kernel.Columns | None
) -> kernel.Columns | None:
    if rows is not None and not len(rows.places):
        return None

    def own(column: np.ndarray) -> np.ndarray:
        return column if rows is None else settled(column[rows.places])

    events, truth = block.trace if rows is None else block.trace.take(rows.places), block.truth
    keyless = events.op > LAST_KEYED
    lookup = part.numbered(events.lookup, len(events.lookups))
    value = settled(np.where(keyless, lookup, own(truth.value))) if keyless.any() else own(truth.value)
    mark, size, cost = own(truth.mark), own(block.size), own(block.cost)
    mark = np.where(entries.is_elsewhere(events), _ELSEWHERE, mark).astype(np.uint8)
    if rows is not None:
        mark[~rows.is_own] = _NOTHING
        size, cost = (settled(np.where(rows.is_own, column, 0)) for column in (size, cost))
    return kernel.Columns(
        events.at,
        entries.ids(events, rows and rows.is_own),
        value,
        own(truth.stretch),
        settled(mark),
        size,
        cost,
        settled(np.ascontiguousarray(events.node)),
        settled(np.ascontiguousarray(events.scope)),
        entries.count,
        truth.tracker,
        before,
        begin,
        rows and settled(rows.places),
    )


def _check_sums(trace: Trace, largest: int, costs: float) -> None:
    if largest > 2**61 // len(trace):
        raise TraceError(
            f"{trace.source}, column 'size': a value of {largest:,} bytes is too large to add up over "
            f"{len(trace):,} events; correct the size"
        )
    if costs > 2**61:
        raise TraceError(f"{trace.source}, column 'cost': the costs add up to more than 73 years; correct them")
