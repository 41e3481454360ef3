"""A trace as the kernel reads it: in batches, each of which is made ready when it is needed."""

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from vestigo.compiled import kernel
from vestigo.errors import TraceError
from vestigo.prepared import memory
from vestigo.prepared.entries import Entries
from vestigo.prepared.fill import Assumed, filler
from vestigo.prepared.memory import settled
from vestigo.prepared.truth import parts_with_truth
from vestigo.stopping import check
from vestigo.trace import Trace
from vestigo.trace.trace import LAST_KEYED

_ELSEWHERE = 5
"""The kernel's mark of a write that no reader's node makes (native/include/vestigo/columns.hpp)."""


def batches(trace: Trace, assumed: Assumed, entries: Entries, events: int | None = None) -> Iterator[Any]:
    """The kernel's columns of the trace, batch after batch. Tests choose the number of `events` in a batch.

    Raises TraceError if its sizes or costs are too large to add up.
    """
    if events is None and not memory.is_long(len(trace)):
        yield from make_ready(trace, assumed, entries)
    else:
        yield from _made(trace, assumed, entries, events or memory.BATCH_EVENTS)


def make_ready(trace: Trace, assumed: Assumed, entries: Entries) -> Sequence[object]:
    """Works out what serves all replays of the trace. These are its batches, unless the trace is long."""
    if memory.is_long(len(trace)):
        filler(trace, assumed)
        return ()
    return trace.once(("batches", assumed, entries), lambda: list(_made(trace, assumed, entries, memory.BATCH_EVENTS)))


def _made(trace: Trace, assumed: Assumed, entries: Entries, events: int) -> Iterator[object]:
    fill, costs, batch = filler(trace, assumed), 0.0, None
    for part, truth in parts_with_truth(trace, events):
        check()
        size, cost = fill.sizes(part, truth.null), fill.costs(part)
        costs += float(cost.sum(dtype=np.float64))
        _check_sums(trace, int(size.max()), costs)
        keyless = part.op > LAST_KEYED
        value = settled(np.where(keyless, part.lookup, truth.value)) if keyless.any() else truth.value
        batch = kernel.Columns(
            part.at,
            entries.ids(part),
            value,
            truth.stretch,
            settled(np.where(entries.is_elsewhere(part), _ELSEWHERE, truth.mark).astype(np.uint8)),
            settled(size),
            settled(cost),
            settled(np.ascontiguousarray(part.node)),
            settled(np.ascontiguousarray(part.scope)),
            entries.count,
            truth.tracker,
            batch,
        )
        yield batch


def _check_sums(trace: Trace, largest: int, costs: float) -> None:
    if largest > 2**61 // len(trace):
        raise TraceError(
            f"{trace.source}, column 'size': a value of {largest:,} bytes is too large to add up over "
            f"{len(trace):,} events; correct the size"
        )
    if costs > 2**61:
        raise TraceError(f"{trace.source}, column 'cost': the costs add up to more than 73 years; correct them")
