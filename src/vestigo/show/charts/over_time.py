"""What happened in each slice of time, and the moments that explain it."""

from typing import NamedTuple

import numpy as np

from vestigo.measures import MEASURES
from vestigo.outcome import Outcome, Slices
from vestigo.show.safe import printable
from vestigo.units import SIZES, best_unit

CHARTS = {"hits": "hit_rate", "stale": "stale_rate", "calls": "loads", "memory": "memory_peak"}
"""What is drawn over time, by the name of its chart."""
OF_THE_ORIGIN = {"failed": "failed_rate", "waiting": "waiting_peak"}
"""What is drawn besides where an origin is stated."""
_MOST_MARKS = 100


class Course(NamedTuple):
    """A measure over time."""

    edges_ns: np.ndarray
    """Where slices begin, and where the last one ends."""
    amounts: np.ndarray
    """For each slice. A rate is NaN where nothing was read."""


def course(slices: Slices, name: str) -> Course:
    """The course of a measure that slices tell, or of a field of them."""
    if not len(slices):
        return Course(np.empty(0), np.empty(0))
    edges = np.array([*slices.column("begins_ns"), slices.column("ends_ns")[-1]])
    measured = MEASURES[name].of_slices if name in MEASURES else None
    if measured is None:
        return Course(edges, np.array([float(getattr(one, name)) for one in slices]))
    with np.errstate(divide="ignore", invalid="ignore"):
        return Course(
            edges, np.asarray(measured.of(*(np.array(slices.column(one), float) for one in measured.counts)), float)
        )


class Memory(NamedTuple):
    """The unit in which memory is drawn."""

    bytes: float
    unit: str

    @classmethod
    def of(cls, outcome: Outcome) -> "Memory":
        return cls(*best_unit(outcome.memory_peak, SIZES))


class Moment(NamedTuple):
    """A restart or a clear."""

    at_ns: int
    text: str
    """Its name, or nothing where the one before it takes the room."""


def moments(outcome: Outcome, letters: int) -> list[Moment]:
    """The restarts and clears of the counted time, on a chart where so many `letters` fit beside each other."""
    if not outcome.slices:
        return []
    begins, ends = outcome.slices[0].begins_ns, outcome.slices[-1].ends_ns
    moments, free_from = [], begins
    for mark in [one for one in outcome.marks if one.at_ns >= begins][:_MOST_MARKS]:
        text = printable(mark.what, 24) if mark.at_ns >= free_from else ""
        moments.append(Moment(mark.at_ns, text))
        if text:
            free_from = mark.at_ns + (ends - begins) * (len(text) + 1) // letters
    return moments
