"""What a cache gave at each event, and the counts that follow. They are counted in the same way for a driven cache and
for a replay.
"""

from dataclasses import dataclass

import numpy as np

from vestigo.data import Told
from vestigo.explaining.drive.offered import Offered
from vestigo.explaining.drive.scales import Weights
from vestigo.outcome.seen import NO_AGE, Answers
from vestigo.outcome.spans import Spans
from vestigo.trace import Op
from vestigo.trace.trace import Longs
from vestigo.units import SECOND

NOTHING_GIVEN = -1


class Stopped(Exception):
    """The cache could not go on at an event. The message says what it did, without the event."""

    def __init__(self, row: int, what: str) -> None:
        self.row, self.what = row, what
        super().__init__(what)


@dataclass(frozen=True, eq=False)
class Given:
    """What a cache did at each event. For a read, this is the event at which the value that it gave was loaded or
    written.
    """

    value: Longs
    """NOTHING_GIVEN at events that are not reads."""
    loads: np.ndarray
    """How often the origin was asked."""
    events: int
    """How many events were driven."""
    stopped: str | None = None
    """Why not all events were driven."""
    took_ns: Longs | None = None
    """How long the cache took for each read that it timed, or was timed at. MISSING for all others."""
    weights: Weights | None = None
    """The memory of its process."""
    holds_values: bool = False
    """Whether the values had as many bytes as the trace gives. Otherwise something small stood for each."""
    stand_in_bytes: int = 0
    """What stood for a value takes in the memory that was weighed, besides the value's own bytes."""


@dataclass(frozen=True, eq=False)
class Marks:
    """For some reads: whether each was a hit, how old the answer was, and since when it was stale."""

    rows: Longs
    hit: np.ndarray
    age_ns: Longs
    """NO_AGE of a miss."""
    stale_ns: Longs
    """NO_AGE where the answer was true."""

    @property
    def stale(self) -> np.ndarray:
        stale: np.ndarray = self.stale_ns != NO_AGE
        return stale

    def of(self, chosen: np.ndarray) -> "Marks":
        return Marks(*(column[chosen] for column in (self.rows, self.hit, self.age_ns, self.stale_ns)))

    def alike(self, age_ns: Longs) -> np.ndarray:
        """Which reads have the same age in `age_ns`: both were given a value of the same moment, or both
        were loaded.
        """
        same: np.ndarray = self.age_ns == age_ns
        return same


def marks_of_given(offered: Offered, given: Given, rows: Longs) -> Marks:
    at, value = offered.trace.at, given.value[rows]
    hit = value != rows
    age = np.where(hit, at[rows] - at[value], NO_AGE)
    stale = hit & offered.is_stale(value, rows)
    stale_ns = np.where(stale, at[rows] - offered.changed_at[value], NO_AGE)
    return Marks(rows, hit, age, stale_ns)


def marks_of_replay(answers: Answers, rows: Longs) -> Marks:
    age_ns = ages_of_replay(answers, rows)
    stale_ns = np.full(len(answers.answer), NO_AGE)
    stale_ns[answers.stale_rows] = answers.stale_ages_ns
    return Marks(rows, age_ns != NO_AGE, age_ns, stale_ns[rows])


def ages_of_replay(answers: Answers, rows: Longs) -> Longs:
    ages: Longs = np.where(answers.hit[rows], answers.age_ns[rows], NO_AGE)
    return ages


def counted_rows(offered: Offered, events: int, first: int) -> Longs:
    """The reads among the driven events that are counted."""
    rows: Longs = np.flatnonzero(offered.trace.op[:events] == Op.READ)
    return rows[np.searchsorted(rows, first) :]


def spans_told(spans_ns: Longs) -> Told:
    """Mean, 95th percentile and maximum in seconds, or None if there are no spans."""
    if not len(spans_ns):
        return {"mean": None, "p95": None, "max": None}
    ns, times = np.unique(spans_ns, return_counts=True)
    p95 = Spans(ns, times).percentile(95)
    return {"mean": float(spans_ns.mean()) / SECOND, "p95": p95 / SECOND, "max": int(ns[-1]) / SECOND}
