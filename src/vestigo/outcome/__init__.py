"""What a replay counted, as plain data."""

from vestigo.outcome.measures import CAUSES, Changes, Measures
from vestigo.outcome.outcome import Mark, Outcome, Slice, unknown_staleness
from vestigo.outcome.spans import Spans
from vestigo.outcome.together import together

__all__ = ["CAUSES", "Changes", "Mark", "Measures", "Outcome", "Slice", "Spans", "together", "unknown_staleness"]
