"""What the origin would give at each event of a trace: which value, since when, and its size."""

import sys
from dataclasses import dataclass

import numpy as np

from vestigo.engine.job import Job
from vestigo.prepared.fill import filler
from vestigo.prepared.neighbours import goes_on
from vestigo.prepared.truth import parts_with_truth
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_VALUED, Longs
from vestigo.units import format_time

NEVER = np.iinfo(np.int64).max
_TRACKED, _UNIT = 16, 16
"""What Python's garbage collector adds to an object, and the step in which its memory is given out."""


class OriginValue:
    """What `load` gives to a cache. It says which key's value it is, and at which event it was given.

    `len` and `sys.getsizeof` return the size that the trace gives, so that a cache can weigh it. It is always true, and
    can be copied and pickled. It holds nothing else, or `content` of as many bytes, if `drive` was asked for that.
    """

    __slots__ = ("content", "drive", "event", "key", "lookup", "size")

    def __init__(  # noqa: PLR0913, PLR0917  # one for each slot
        self, lookup: str, key: object, event: int, size: int, drive: int = 0, content: bytes | None = None
    ) -> None:
        self.lookup, self.key, self.event, self.size, self.drive = lookup, key, event, size, drive
        self.content = content

    def __len__(self) -> int:
        return self.size

    def __sizeof__(self) -> int:
        return self.size

    def __bool__(self) -> bool:
        return True

    def __repr__(self) -> str:
        return f"<value of {self.lookup} {self.key} at event {self.event}>"


def stand_in_bytes(contents: bool) -> int:
    """The memory of an `OriginValue` in this process, with the numbers that it holds. Of `content`, it is what that
    takes besides its bytes.
    """
    number = 1 << 20
    value = OriginValue("", "", number, number)
    parts = [object.__sizeof__(value) + _TRACKED, 2 * sys.getsizeof(number), sys.getsizeof(b"") if contents else 0]
    return sum(-(-part // _UNIT) * _UNIT for part in parts)


@dataclass(frozen=True, eq=False)
class Offered:
    """What the origin would give, by event of the trace."""

    trace: Trace
    events: Longs
    """The rows of these events in the user's trace. Some may be missing: a cache that cannot be emptied is not driven
    with clears.
    """
    null: np.ndarray
    """Whether the origin has nothing at the event."""
    size: Longs
    """The bytes of the value."""
    changed_at: Longs
    """When the value that is true at the event gives way to the next one, or NEVER."""
    _value: np.ndarray
    _names: np.ndarray
    """Values that had no name when they came, ascending, with the name that each got later, and the event that gave it.
    """

    def is_stale(self, given: Longs, rows: Longs) -> np.ndarray:
        """Whether the values given at the events `given` differ from those that are true at `rows`."""
        old = self._value[given].astype(np.int64)
        if len(self._names):
            unnamed, name, named_at = self._names.T
            place = np.minimum(np.searchsorted(unnamed, old), len(unnamed) - 1)
            is_named = (unnamed[place] == old) & (rows >= named_at[place])
            old = np.where(is_named, name[place], old)
        stale: np.ndarray = old != self._value[rows]
        return stale

    def said(self, row: int) -> str:
        """An event in words."""
        trace = self.trace
        what = Op(int(trace.op[row])).name.lower()
        key = f" of {trace.lookups[trace.lookup[row]]} {trace.keys[trace.key[row]]}" if trace.key[row] >= 0 else ""
        return f"event {self.events[row]:,} ({format_time(int(trace.at[row]))}, {what}{key})"


def offered(trace: Trace, events: Longs, job: Job) -> Offered:
    """What the origin would give. Missing sizes are filled in as for a replay."""
    fill = filler(trace, job.assumed)
    columns: list[tuple[np.ndarray, ...]] = []
    names: list[tuple[int, int, int]] = []
    begin = 0
    for part, truth in parts_with_truth(trace):
        columns.append((truth.value, truth.stretch, fill.sizes(part, truth.null), truth.null))
        rows = begin + np.flatnonzero(truth.only_names)
        names += [(*pair, row) for pair, row in zip(truth.names.tolist(), rows.tolist(), strict=True)]
        begin += len(part)
    if not columns:
        nothing = np.empty(0, np.int64)
        return Offered(trace, events, nothing.astype(bool), nothing, nothing, nothing, nothing)
    value, stretch, size, null = map(np.concatenate, zip(*columns, strict=True))
    keyed = trace.op <= LAST_VALUED
    return Offered(
        trace, events, null & keyed, size, _ends(trace, stretch, keyed), value, np.array(sorted(names), np.int64)
    )


def _ends(trace: Trace, stretch: np.ndarray, keyed: np.ndarray) -> Longs:
    """When the value of each event ends, because the next value of its key begins."""
    ends = np.full(len(trace), NEVER)
    rows = np.flatnonzero(keyed)
    place = np.where(stretch < 0, ~stretch, stretch)[rows]
    numbers, first, of = np.unique(place, return_index=True, return_inverse=True)
    begins = rows[first]
    order = np.lexsort((begins, trace.key[begins]))
    following = np.full(len(numbers), NEVER)
    later = np.flatnonzero(goes_on(trace.key[begins[order]]))
    following[order[later - 1]] = trace.at[begins[order[later]]]
    ends[rows] = following[of]
    return ends
