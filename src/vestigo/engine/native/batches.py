"""A trace as the kernel reads it: in batches, each made ready when it is needed."""

from collections.abc import Iterable, Iterator, Sequence
from functools import cache
from typing import Any, NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from vestigo.engine import kernel
from vestigo.engine.job import Assumed, assume
from vestigo.engine.native.entries import Entries, keys_or_0
from vestigo.engine.native.fill import Filler, Flags, Usual, usual
from vestigo.errors import TraceError
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_KEYED, MISSING, Ints

NULL_VALUE = -1

KEPT_EVENTS = 1 << 24
"""The batches of a trace of no more are made ready once and kept while it lives. Those of a longer one are made anew
for every replay, so that memory grows with its keys alone."""
BATCH_EVENTS = 1 << 20

# The kernel's marks (native/include/vestigo/columns.hpp), by Op. A remove is a write of a null.
_MARKS = np.array([0, 1, 1, 4, 2, 3], np.uint8)
_FORCED, _ELSEWHERE = 8, 5

_kept: WeakKeyDictionary[Trace, dict[tuple[Assumed, Entries], Sequence[Any]]] = WeakKeyDictionary()
_usual: WeakKeyDictionary[Trace, dict[Assumed, Usual]] = WeakKeyDictionary()


class Told(NamedTuple):
    """What events tell of their keys' values, as native/include/vestigo/truth.hpp says."""

    value: Ints
    stretch: Ints
    only_names: Flags
    """Rows that give the present value its name, which is no change."""
    names: Ints
    mark: np.ndarray
    truth: Any
    """The kernel's: it knows when each stretch ended."""

    @property
    def null(self) -> Flags:
        null: Flags = self.value == NULL_VALUE
        return null


def batches(trace: Trace, assumed: Assumed, entries: Entries, events: int | None = None) -> Iterator[Any]:
    """The kernel's columns of the trace, batch after batch; for tests, of so many `events` each.

    Raises TraceError if its sizes or costs are too large to add up.
    """
    if events is None and not is_long(len(trace)):
        make_ready(trace, assumed, entries)
        yield from _kept[trace][assumed, entries]
    else:
        yield from _made(trace, assumed, entries, events or BATCH_EVENTS)


def make_ready(trace: Trace, assumed: Assumed, entries: Entries) -> None:
    """What is worked out once for a trace, for all replays of it."""
    if is_long(len(trace)):
        filler(trace, assumed)
    elif (assumed, entries) not in (known := _kept.setdefault(trace, {})):
        known[assumed, entries] = list(_made(trace, assumed, entries, BATCH_EVENTS))


def filler(trace: Trace, assumed: Assumed | None = None) -> Filler:
    """Fills in the sizes and costs of the trace's parts, from the first on. Unless it is said, nothing is assumed that
    rules do not assume by themselves.
    """
    assumed = assumed or assume(trace, Plan())
    known = _usual.setdefault(trace, {})
    if assumed not in known:

        def parts() -> Iterable[tuple[Trace, Flags]]:
            return ((part, what.null) for part, what in told(trace))

        known[assumed] = usual(trace, parts if is_long(len(trace)) else cache(lambda: list(parts())), assumed)
    return Filler(trace, known[assumed])


def is_long(events: int) -> bool:
    """Whether a trace of so many is worked on part by part, for the sake of memory."""
    return events > KEPT_EVENTS


def told(trace: Trace, events: int | None = None) -> Iterator[tuple[Trace, Told]]:
    """The trace in parts of so many events, or, unless it is long, whole; each with what it tells."""
    parts = trace.parts(events or (BATCH_EVENTS if is_long(len(trace)) else KEPT_EVENTS))
    unnamed_writes = any(
        bool(np.any((part.op == Op.WRITE) & (part.version == MISSING) & (part.found != 0))) for part in parts
    )
    truth = kernel.Truth(max(len(trace.keys), 1), unnamed_writes)
    for part in parts:
        mark = _MARKS[part.op] | np.where(part.force & (part.op == Op.READ), _FORCED, 0).astype(np.uint8)
        found = np.where(part.op == Op.REMOVE, 0, part.found).astype(np.int8)
        version = np.ascontiguousarray(part.version)
        value, stretch, only_names, names = truth.see(part.at, mark, keys_or_0(part), version, found)
        yield part, Told(value, stretch, only_names.view(bool), names, mark, truth)


def _made(trace: Trace, assumed: Assumed, entries: Entries, events: int) -> Iterator[Any]:
    fill, costs, batch = filler(trace, assumed), 0.0, None
    for part, what in told(trace, events):
        size, cost = fill.sizes(part, what.null), fill.costs(part)
        costs += float(cost.sum(dtype=np.float64))
        _check_sums(trace, int(size.max()), costs)
        keyless = part.op > LAST_KEYED
        value = np.where(keyless, part.lookup, what.value) if keyless.any() else what.value
        batch = kernel.Columns(
            part.at,
            entries.ids(part),
            value,
            what.stretch,
            np.where(entries.is_elsewhere(part), _ELSEWHERE, what.mark).astype(np.uint8),
            size,
            cost,
            np.ascontiguousarray(part.node),
            np.ascontiguousarray(part.scope),
            entries.count,
            what.truth,
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
