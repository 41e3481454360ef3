"""What each event tells of its key's value at the origin (docs/semantics.md, section 3)."""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared import memory
from vestigo.prepared.memory import settled
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_VALUED, Ints

Flags = np.ndarray
"""A bool for each row."""

NULL_VALUE, _UNSEEN = -1, -2

# The kernel's marks (native/include/vestigo/columns.hpp), by Op. A remove is a write of a null.
_MARKS = np.array([0, 1, 1, 4, 6, 2, 3], np.uint8)
_FORCED = 8


class Truth(NamedTuple):
    """What the events of a part tell, as native/include/vestigo/truth.hpp defines it."""

    value: Ints
    stretch: Ints
    only_names: Flags
    """Rows that give the current value its name. That is not a change."""
    names: Ints
    mark: np.ndarray
    tracker: object
    """The kernel's object, which knows when each stretch of truth ended."""

    @property
    def null(self) -> Flags:
        null: Flags = self.value == NULL_VALUE
        return null


def parts_with_truth(trace: Trace, events: int | None = None) -> Iterator[tuple[Trace, Truth]]:
    """The parts of a trace, each with what its events tell. A trace that is not long is one part."""
    parts = trace.blocks(events or (memory.BATCH_EVENTS if memory.is_long(len(trace)) else memory.KEPT_EVENTS))
    follower = TruthFollower(trace)
    for part in parts:
        yield part, follower.see(part)


class TruthFollower:
    """Follows the truth of a trace, or of all rows of some of its keys, from the first row on."""

    def __init__(self, trace: Trace) -> None:
        unnamed = trace.once("unnamed writes", lambda: any(_has_unnamed_writes(block) for block in trace.blocks()))
        self._tracker = kernel.Truth(max(len(trace.keys), 1), unnamed)

    def see(self, part: Trace) -> Truth:
        """What the next rows tell."""
        forced = part.force & (part.op == Op.READ)
        mark = _MARKS[part.op] if part.op.any() else np.zeros(len(part), np.uint8)
        mark[forced] |= _FORCED
        found = part.found
        if (removes := part.op == Op.REMOVE).any():
            found = settled(np.where(removes, np.int8(0), found))
        version = np.ascontiguousarray(part.version)
        told = self._tracker.see(part.at, settled(mark), keys_or_0(part), version, np.ascontiguousarray(found))
        value, stretch, only_names, names = told
        return Truth(value, stretch, only_names.view(bool), names, mark, self._tracker)

    @property
    def values(self) -> Ints:
        """The value of each stretch so far. One that a write left unnamed is the one that was named later."""
        values: Ints = self._tracker.values()
        return values


def places(stretch: Ints) -> Ints:
    """The number of each stretch. The kernel gives a stretch without a value the complement of its number."""
    return np.where(stretch < 0, ~stretch, stretch)


def _has_unnamed_writes(part: Trace) -> bool:
    return bool(np.any((part.op == Op.WRITE) & (part.version == MISSING) & (part.found != 0)))


def keys_or_0(part: Trace) -> Ints:
    """The key of each row, or 0 if it has none."""
    return settled(np.maximum(part.key, 0)) if len(part) and int(part.key.min()) < 0 else part.key


class Truths(NamedTuple):
    """For every event, the value of its key at the origin after the event, and whether that is null."""

    value: np.ndarray
    null: np.ndarray


def truths(trace: Trace) -> Truths:
    """The truths of the whole trace. Values are numbered from 0. One that a write left unnamed has the number of the
    name that was seen later.
    """
    follower, stretches = TruthFollower(trace), [np.empty(0, np.int32)]
    stretches += [follower.see(block).stretch for block in trace.blocks()]
    stretch, values = np.concatenate(stretches), follower.values
    value = np.where(trace.op <= LAST_VALUED, values[places(stretch)], _UNSEEN) if len(values) else stretch
    return Truths(value.astype(np.int64) - value.min(initial=0), value == NULL_VALUE)
