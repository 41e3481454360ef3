"""What a replay tells of single reads and keys, as both engines give it."""

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from vestigo.outcome.counts import CAUSES
from vestigo.trace.trace import Longs

HIT, JOINED, MISS = 0, 1, 2
"""How a read was answered; from MISS on, the cause of a miss has its place in `CAUSES` added."""
FAILED = MISS + len(CAUSES)
"""It got no answer."""
NULL = 0x80
"""Added to it where the read was given nothing."""
NO_AGE = -1


class Watching(NamedTuple):
    """What a replay is to tell."""

    reads: bool = False
    keys: bool = False
    chosen: tuple[int, ...] = ()
    """The keys whose log is wanted, ascending."""
    of_lookup: int | None = None
    """The look-up of whose keys it is to tell. Of others it may."""


class Answers(NamedTuple):
    """A value for each row of the trace, or of a batch. The values of rows that are not reads mean nothing."""

    answer: np.ndarray
    read_time_ns: Longs
    age_ns: Longs
    """For a hit, the time since the load, or the write, of what was given."""
    stale_rows: Longs
    """The rows of stale hits and joins, ascending, and since when each was stale."""
    stale_ages_ns: Longs

    @property
    def hit(self) -> np.ndarray:
        """Which reads the cache answered."""
        hit: np.ndarray = (self.answer & (NULL - 1)) == HIT
        return hit

    def part(self, begin: int, end: int) -> "Answers":
        """The answers of these rows."""
        stale = slice(*np.searchsorted(self.stale_rows, (begin, end)))
        answer, read_time, age = (column[begin:end] for column in self[:3])
        return Answers(answer, read_time, age, self.stale_rows[stale] - begin, self.stale_ages_ns[stale])

    def of_rows(self, rows: Longs) -> "Answers":
        """The answers of some rows, ascending. All reads must be among them."""
        answer, read_time, age = (column[rows] for column in self[:3])
        return Answers(answer, read_time, age, rows.searchsorted(self.stale_rows), self.stale_ages_ns)


Counted = Mapping[str, np.ndarray]
"""By name, a value for each key: what native/include/vestigo/witness/key_rows.hpp counts, and the misses of each cause.
Sums that do not fit in 64 bits are Python's numbers."""


class Happening(NamedTuple):
    """One line of the log of a key (native/include/vestigo/witness/happenings.def), with names in place of numbers."""

    key: int
    where: int
    """The node or scope. -1 for rows that name none, or for all."""
    what: str
    at: int
    until: int = 0
    """The time of the last, if several of the same kind follow each other. `at` is the time of the first."""
    times: int = 0
    row: int = 0
    """For a read or reload, its row in the trace."""
    why: str = ""
    """For a miss and for what left, the cause."""
    counted_as: str = ""
    """For what left, the count in which it appears."""
    span: int = 0
    """For a miss or reload, how long the load takes. For stale hits and joins, the age of the oldest answer. For failed
    reads, the longest wait."""
    waited: int = 0
    """For a miss or reload, how much of that it waited for a place at the origin."""
    since: int = 0
    """For what came in, when it was loaded. For what left, its last hit, or when it came in."""
    bytes: int = 0
    other: int = -1
    """For what was evicted, the key that came in."""


class Happenings(Sequence[Happening]):
    """The log as columns. A single `Happening` is made when it is looked at, because there may be millions."""

    def __init__(self, columns: Mapping[str, np.ndarray], names: Mapping[str, Sequence[str]]) -> None:
        """`names` has the words for the numbers of a column, if it has any."""
        self._columns = [columns[name] for name in Happening._fields]
        self._names = [names.get(name) for name in Happening._fields]

    def __len__(self) -> int:
        return len(self._columns[0])

    def __getitem__(self, place: Any) -> Any:
        if isinstance(place, slice):
            return [self[one] for one in range(len(self))[place]]
        values = [
            int(column[place]) if names is None else names[column[place]]
            for column, names in zip(self._columns, self._names, strict=True)
        ]
        found = Happening._make(values)
        why = found.why if found.what in ("missed", "left") else ""
        return found._replace(why=why, counted_as=found.counted_as if found.what == "left" else "")


class Seen(NamedTuple):
    answers: Answers | None
    keys: Counted | None
    happenings: Sequence[Happening]
    """In order of time within each compartment. Of several compartments, the one with the earlier first line comes
    first.
    """
