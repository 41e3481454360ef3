"""What a replay counted, as plain data."""

from vestigo.outcome.counts import CAUSES
from vestigo.outcome.keys import Keys
from vestigo.outcome.measures import Changes, Measures
from vestigo.outcome.outcome import Mark, Outcome, unknown_staleness
from vestigo.outcome.reads import Reads
from vestigo.outcome.slices import Slice, Slices, together
from vestigo.outcome.spans import Spans

__all__ = [
    "CAUSES",
    "Changes",
    "Keys",
    "Mark",
    "Measures",
    "Outcome",
    "Reads",
    "Slice",
    "Slices",
    "Spans",
    "together",
    "unknown_staleness",
]
