"""What a replay counted, as plain data."""

from vestigo.outcome.measures import CAUSES, Changes, Measures
from vestigo.outcome.outcome import Mark, Outcome, unknown_staleness
from vestigo.outcome.slices import Slice, Slices
from vestigo.outcome.spans import Spans
from vestigo.outcome.together import together

__all__ = [
    "CAUSES",
    "Changes",
    "Mark",
    "Measures",
    "Outcome",
    "Slice",
    "Slices",
    "Spans",
    "together",
    "unknown_staleness",
]
