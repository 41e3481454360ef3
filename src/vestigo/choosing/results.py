"""What is kept of a replay: the measures of the whole time, of the first part and of the rest, and the counts of each
slice.
"""

from bisect import bisect_left

from vestigo.choosing.candidates import Result
from vestigo.engine.job import Job
from vestigo.engine.replay import run
from vestigo.measures import MEASURES
from vestigo.outcome import Outcome, together
from vestigo.trace import Trace

_OF_SLICES = tuple(dict.fromkeys(name for one in MEASURES.values() if one.of_slices for name in one.of_slices.counts))
"""The counts that some measure is told by."""


def replayed(trace: Trace, job: Job, name: str, split_ns: int) -> Result:
    """Replays a plan, and returns what is kept of it."""
    return result_of(run(trace, job, name), split_ns)


def result_of(outcome: Outcome, split_ns: int) -> Result:
    """What is kept of an outcome."""
    whole, slices = outcome.to_dict(), outcome.slices
    until = max(bisect_left(slices.column("begins_ns"), split_ns), 1)
    rest = slices[until:] or slices[-1:]
    return {
        "whole": whole,
        "first": together(slices[:until]).to_dict() if slices else whole,
        "rest": together(rest).to_dict() if slices else whole,
        "slices": {name: slices.column(name) for name in _OF_SLICES},
    }


def split_at(job: Job, share_for_rest: float) -> int:
    """Where the rest begins, at the beginning of a slice. The rest has `share_for_rest` of the counted slices."""
    slices = job.slicing.most
    first = min(max(round(slices * (1 - share_for_rest)), 1), max(slices - 1, 1))
    return job.slicing.origin_ns + first * job.slicing.width_ns
