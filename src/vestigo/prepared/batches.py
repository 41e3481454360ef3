"""A trace, or a part of it, as the kernel reads it: in batches, each of which is made ready when it is needed."""

from collections import Counter
from collections.abc import Hashable, Iterable, Iterator, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.errors import TraceError
from vestigo.prepared import memory
from vestigo.prepared.entries import Entries, entries_of
from vestigo.prepared.fill import Assumed, filler
from vestigo.prepared.memory import settled
from vestigo.prepared.part import Part, rows_of
from vestigo.prepared.truth import Truth, TruthFollower
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace
from vestigo.trace.trace import LAST_KEYED, Ints, Longs

_ELSEWHERE = 5
"""The kernel's mark of a write that no reader's node makes (native/include/vestigo/columns.hpp)."""
_NOTHING = 7
"""Its mark of a moment at which nothing of a part happens."""
_MOST_COSTS = 2**61
"""In ns."""
_MADE_ANEW = 2
"""How often the batches of a large trace are made anew before they are kept."""


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
    _check_costs(trace, assumed)
    name = kept_as(assumed, part)
    if events is None and _is_worth_keeping(trace, name):
        make_ready(trace, assumed, [part])
    if events is None and name in trace.kept:
        yield from trace.kept[name]
        return
    for (batch,) in _made(trace, assumed, [part], events):
        if batch is not None:
            yield batch


def make_ready(trace: Trace, assumed: Assumed, parts: Iterable[Part]) -> None:
    """Works out what serves all replays of these parts. These are their batches, unless the trace is long."""
    _check_costs(trace, assumed)
    filler(trace, assumed)
    if memory.is_long(len(trace)):
        return
    of_same_lookups: dict[Part, list[Part]] = {}
    for part in dict.fromkeys(parts):
        if kept_as(assumed, part) not in trace.kept:
            of_same_lookups.setdefault(part.everywhere, []).append(part)
    each_side_by_side(lambda some: _keep(trace, assumed, some), list(of_same_lookups.values()))


def _keep(trace: Trace, assumed: Assumed, parts: Sequence[Part]) -> None:
    blocks = list(_made(trace, assumed, parts))
    for number, part in enumerate(parts):
        own = [block[number] for block in blocks]
        trace.kept.setdefault(kept_as(assumed, part), [batch for batch in own if batch is not None])


def kept_as(assumed: Assumed, part: Part) -> Hashable:
    """The name under which a trace keeps the batches of a part, if it does."""
    return "batches", part, *(tuple(each[lookup] for lookup in part.lookups) for each in assumed)


def are_made_anew(trace: Trace, name: Hashable) -> bool:
    """Whether the batches of that name are not kept, and the next replay does not keep them either."""
    return name not in trace.kept and len(trace) > memory.BATCH_EVENTS


def _is_worth_keeping(trace: Trace, name: object) -> bool:
    """Whether the trace is short, or something was asked for several times. Most of the memory of a replay are batches,
    and a program may replay only once.
    """
    asked: Counter[object] = trace.once("times asked", Counter)
    asked[name] += 1
    is_short = len(trace) <= memory.BATCH_EVENTS
    return is_short or (asked[name] > _MADE_ANEW and not memory.is_long(len(trace)))


def _made(trace: Trace, assumed: Assumed, parts: Sequence[Part], events: int | None = None) -> Iterator[Batches]:
    """The batches of some parts that have the same look-ups, made together from one pass over the trace."""
    everywhere, entries = parts[0].everywhere, [entries_of(trace, part) for part in parts]
    before: list[kernel.Columns | None] = [None] * len(parts)
    for told in _told(trace, assumed, everywhere, events or memory.BATCH_EVENTS):
        found: list[Batch | None] = []
        for number, part in enumerate(parts):
            own = told if part == everywhere else told.of(part, trace)
            columns = own.columns(part, entries[number], before[number]) if len(own.events) else None
            before[number] = columns or before[number]
            found.append(None if columns is None else Batch(columns, own.begin, own.rows))
        yield found


class _Told(NamedTuple):
    """Some events of a block of the trace, with all that is worked out of them."""

    events: Trace
    numbered: Ints
    """As `Entries` numbers the keys of the look-ups."""
    size: Longs
    cost: Longs
    truth: Truth
    begin: int
    """The block's first row in the trace."""
    rows: Ints | None
    """The rows of the block. None: all."""
    is_own: np.ndarray | None
    """Whether each is a row of the part itself. None: all are."""

    def of(self, part: Part, trace: Trace) -> "_Told":
        """Those of a part with fewer nodes."""
        chosen = rows_of(part, trace, self.events, self.begin, self.rows)
        places = chosen.places
        told = self.truth
        truth = told._replace(
            value=settled(told.value[places]), stretch=settled(told.stretch[places]), mark=told.mark[places]
        )
        rows = places.astype(np.int32) if self.rows is None else self.rows[places]
        events, size, cost = self.events.take(places), self.size[places], self.cost[places]
        return _Told(events, self.numbered[places], size, cost, truth, self.begin, settled(rows), chosen.is_own)

    def columns(self, part: Part, entries: Entries, before: kernel.Columns | None) -> kernel.Columns:
        events, truth, value, size, cost = self.events, self.truth, self.truth.value, self.size, self.cost
        keyless = events.op > LAST_KEYED
        if keyless.any():
            value = settled(np.where(keyless, part.numbered(events.lookup, len(events.lookups)), value))
        mark = truth.mark.copy()
        mark[entries.is_elsewhere(events)] = _ELSEWHERE
        if self.is_own is not None and not self.is_own.all():
            mark[~self.is_own] = _NOTHING
            size, cost = (np.where(self.is_own, column, 0) for column in (size, cost))
        return kernel.Columns(
            events.at,
            entries.ids(self.numbered),
            value,
            truth.stretch,
            settled(mark),
            settled(size),
            settled(cost),
            settled(np.ascontiguousarray(events.node)),
            settled(np.ascontiguousarray(events.scope)),
            entries.count,
            truth.tracker,
            before,
            self.begin,
            self.rows,
        )


def _told(trace: Trace, assumed: Assumed, part: Part, events: int) -> Iterator[_Told]:
    """What each block tells of the look-ups of a part, on all nodes. There can be no event of theirs."""
    fill, follower, entries, begin = filler(trace, assumed), TruthFollower(trace), entries_of(trace, part), 0
    for block in trace.blocks(events):
        check()
        chosen = None if part.is_whole(trace) else rows_of(part, trace, block, begin)
        own = block if chosen is None else block.take(chosen.places)
        truth = follower.see(own)
        size, cost = fill.sizes(own, truth.null), fill.costs(own)
        _check_sizes(trace, size)
        rows = chosen and settled(chosen.places.astype(np.int32))
        is_own = chosen and chosen.is_own
        yield _Told(own, entries.numbered(own, is_own, begin), size, cost, truth, begin, rows, is_own)
        begin += len(block)


def _check_sizes(trace: Trace, size: Longs) -> None:
    largest = int(size.max(initial=0))
    if largest > 2**61 // len(trace):
        raise TraceError(
            f"{trace.source}, column 'size': a value of {largest:,} bytes is too large to add up over "
            f"{len(trace):,} events; correct the size"
        )


def _check_costs(trace: Trace, assumed: Assumed) -> None:
    """Looks at each cost only if they might not add up."""
    if max(trace.cost_range.most, *assumed.cost, 0) * len(trace) <= _MOST_COSTS:
        return
    fill = filler(trace, assumed)
    if (
        trace.once(("costs", assumed), lambda: sum(float(fill.costs(block).sum()) for block in trace.blocks()))
        > _MOST_COSTS
    ):
        raise TraceError(f"{trace.source}, column 'cost': the costs add up to more than 73 years; correct them")
