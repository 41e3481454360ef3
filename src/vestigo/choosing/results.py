"""What is kept of a replay: the measures of the whole time, of the first part and of the rest, and the counts of each
slice.
"""

import dataclasses
from bisect import bisect_left
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from vestigo.data import Told
from vestigo.engine.context import assumptions, whose_cache
from vestigo.engine.job import Job
from vestigo.engine.replay import run, run_in_halves
from vestigo.measures import MEASURES
from vestigo.outcome import Outcome, together
from vestigo.outcome.summary import Summary

_OF_SLICES = tuple(dict.fromkeys(name for one in MEASURES.values() if one.of_slices for name in one.of_slices.counts))
"""The counts that some measure is told by."""


class Kept(NamedTuple):
    """What is kept of a replay."""

    whole: Summary
    first: Summary
    rest: Summary
    slices: Mapping[str, Sequence[int]]

    def to_dict(self) -> Told:
        """Plain data for JSON."""
        parts = {name: part.to_dict() for name, part in self._asdict().items() if isinstance(part, Summary)}
        return {**parts, "slices": dict(self.slices)}

    @classmethod
    def from_dict(cls, told: Told) -> "Kept":
        """The same from what `to_dict` gives. Raises KeyError where something is missing."""
        whole, first, rest = (Summary.from_dict(told[part]) for part in ("whole", "first", "rest"))
        none = [0] * len(told["slices"]["reads"])  # an earlier version did not count all
        return cls(whole, first, rest, dict.fromkeys(_OF_SLICES, none) | told["slices"])


def replayed(job: Job, name: str, split_ns: int) -> Kept:
    """Replays a plan, and returns what is kept of it. Parts that were replayed before are not replayed again."""
    halves = run_in_halves(job, split_ns, _OF_SLICES)
    if halves is None:
        return kept_of(run(job, name), split_ns)
    whole = dataclasses.replace(
        Summary.of(halves.whole),
        lookups=halves.lookups,
        whose=whose_cache(job.trace, job.groups),
        assumptions=assumptions(job),
    )
    return Kept(whole, Summary.of(halves.first), Summary.of(halves.rest), halves.counts)


def kept_of(outcome: Outcome, split_ns: int) -> Kept:
    """What is kept of an outcome."""
    whole, slices = Summary.of(outcome), outcome.slices
    until = max(bisect_left(slices.column("begins_ns"), split_ns), 1)
    counts = {name: slices.column(name) for name in _OF_SLICES}
    if not slices:
        return Kept(whole, whole, whole, counts)
    first, rest = (Summary.of(together(part)) for part in (slices[:until], slices[until:] or slices[-1:]))
    return Kept(whole, first, rest, counts)


def split_at(job: Job, share_for_rest: float) -> int:
    """Where the rest begins, at the beginning of a slice. The rest has `share_for_rest` of the counted slices."""
    slices = job.slicing.most
    first = min(max(round(slices * (1 - share_for_rest)), 1), max(slices - 1, 1))
    return job.slicing.origin_ns + first * job.slicing.width_ns


def bounds_of(job: Job, split_ns: int) -> tuple[int, int, int]:
    """When the counting begins, when the rest does, and when the trace ends."""
    trace = job.trace
    return (int(trace.at[job.first_counted]), split_ns, int(trace.at[-1])) if len(trace) else (0, 0, 0)
