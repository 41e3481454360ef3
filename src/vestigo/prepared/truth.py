"""What each event tells of its key's value at the origin (docs/semantics.md, section 3)."""

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared import memory
from vestigo.prepared.settled import settled
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import Ints

Flags = np.ndarray
"""A bool for each row."""

NULL_VALUE = -1

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
    tracker: Any
    """The kernel's object, which knows when each stretch of truth ended."""

    @property
    def null(self) -> Flags:
        null: Flags = self.value == NULL_VALUE
        return null


def parts_with_truth(trace: Trace, events: int | None = None) -> Iterator[tuple[Trace, Truth]]:
    """The parts of a trace, each with what its events tell. A trace that is not long is one part."""
    parts = trace.parts(events or (memory.BATCH_EVENTS if memory.is_long(len(trace)) else memory.KEPT_EVENTS))
    unnamed_writes = any(
        bool(np.any((part.op == Op.WRITE) & (part.version == MISSING) & (part.found != 0))) for part in parts
    )
    tracker = kernel.Truth(max(len(trace.keys), 1), unnamed_writes)
    for part in parts:
        mark = settled(_MARKS[part.op] | np.where(part.force & (part.op == Op.READ), _FORCED, 0).astype(np.uint8))
        found = settled(np.where(part.op == Op.REMOVE, 0, part.found).astype(np.int8))
        version = np.ascontiguousarray(part.version)
        value, stretch, only_names, names = tracker.see(part.at, mark, keys_or_0(part), version, found)
        yield part, Truth(value, stretch, only_names.view(bool), names, mark, tracker)


def keys_or_0(part: Trace) -> Ints:
    """The key of each row, or 0 if it has none."""
    return settled(np.maximum(part.key, 0)) if len(part) and int(part.key.min()) < 0 else part.key
