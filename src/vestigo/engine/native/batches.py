"""A trace as the kernel reads it: in batches, each made ready when it is needed."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from vestigo.engine import kernel
from vestigo.engine.native.fill import Filler, Flags, Usual, usual
from vestigo.errors import TraceError
from vestigo.trace import Op, Trace
from vestigo.trace.trace import MISSING, Ints

NULL_VALUE = -1

KEPT_EVENTS = 1 << 24
"""A trace of no more events is one batch, made ready once and kept while the trace lives."""
BATCH_EVENTS = 1 << 20
"""Of a longer one: its batches are made anew for every replay, so that memory grows with its keys alone."""

# The kernel's marks (native/include/vestigo/columns.hpp), by Op. A remove is a write of a null.
_MARKS = np.array([0, 1, 1, 2, 3], np.uint8)
_FORCED = 8

_kept: WeakKeyDictionary[Trace, Sequence[Any]] = WeakKeyDictionary()
_usual: WeakKeyDictionary[Trace, Usual] = WeakKeyDictionary()


class Told(NamedTuple):
    """What events tell of their keys' values, as native/include/vestigo/truth.hpp says."""

    value: Ints
    mark: np.ndarray
    names: Ints


def batches(trace: Trace, events: int | None = None) -> Iterator[Any]:
    """The kernel's columns of the trace, batch after batch; of so many `events` each.

    Raises TraceError if its sizes or costs are too large to add up.
    """
    if events is None and len(trace) <= KEPT_EVENTS:
        make_ready(trace)
        yield from _kept[trace]
    else:
        yield from _made(trace, events or BATCH_EVENTS)


def make_ready(trace: Trace) -> None:
    """What is worked out once for a trace, for all replays of it."""
    if len(trace) <= KEPT_EVENTS and trace not in _kept:
        _kept[trace] = list(_made(trace, BATCH_EVENTS))


def told(trace: Trace, events: int = KEPT_EVENTS) -> Iterator[tuple[Trace, Told]]:
    """The trace in parts of so many events, each with what it tells."""
    parts = trace.parts(events)
    unnamed_writes = any(
        bool(np.any((part.op == Op.WRITE) & (part.version == MISSING) & (part.found != 0))) for part in parts
    )
    truth = kernel.Truth(max(len(trace.keys), 1), unnamed_writes)
    for part in parts:
        mark = _MARKS[part.op] | np.where(part.force & (part.op == Op.READ), _FORCED, 0).astype(np.uint8)
        found = np.where(part.op == Op.REMOVE, 0, part.found).astype(np.int8)
        yield part, Told(*truth.see(mark, _no_negative(part.key), np.ascontiguousarray(part.version), found))


def _made(trace: Trace, events: int) -> Iterator[Any]:
    parts = list(told(trace, events)) if len(trace) <= events else None

    def with_nulls() -> Iterator[tuple[Trace, Flags]]:
        return ((part, what.value == NULL_VALUE) for part, what in parts or told(trace, events))

    if trace not in _usual:
        _usual[trace] = usual(trace, with_nulls)
    filler, costs, batch = Filler(trace, _usual[trace]), 0.0, None
    for part, (value, mark, _) in parts or told(trace, events):
        size, cost = filler.sizes(part, value == NULL_VALUE), filler.costs(part)
        costs += float(cost.sum(dtype=np.float64))
        _check_sums(trace, int(size.max()), costs)
        keyless = part.op >= Op.CLEAR
        told_of = np.where(keyless, part.lookup, value) if keyless.any() else value
        keys = max(len(trace.keys), 1)
        batch = kernel.Columns(part.at, _no_negative(part.key), told_of, mark, size, cost, keys, batch)
        yield batch


def _no_negative(key: Ints) -> Ints:
    return np.maximum(key, 0) if int(key.min()) < 0 else key


def _check_sums(trace: Trace, largest: int, costs: float) -> None:
    if largest > 2**61 // len(trace):
        raise TraceError(
            f"{trace.source}, column 'size': a value of {largest:,} bytes is too large to add up over "
            f"{len(trace):,} events; correct the size"
        )
    if costs > 2**61:
        raise TraceError(f"{trace.source}, column 'cost': the costs add up to more than 73 years; correct them")
