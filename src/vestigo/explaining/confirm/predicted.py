"""What a replay gives over the time of the counters."""

import dataclasses
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vestigo.engine.job import Job, job
from vestigo.engine.replay import run
from vestigo.engine.watch import answers_of
from vestigo.explaining.confirm.windows import ENOUGH, Rate
from vestigo.outcome import Outcome
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs
from vestigo.units import Duration

_STRETCHES = 60
_LEAST_SHARED = 0.5


@dataclass(frozen=True)
class Time:
    """The part of a trace that is compared, and its stretches."""

    edges_ns: Longs
    """The moments at which the stretches begin, and at which the last one ends."""
    is_same: bool
    """Whether this is the time of the counters. If not, the stretches are the trace's own."""
    is_paired: bool
    """Whether the stretches are those between the scrapes."""
    nodes: tuple[int, ...] | None = None
    """Whose reads are compared. None: everybody's."""

    @classmethod
    def of(cls, trace: Trace, at_ns: Longs, warm_up_from: int) -> "Time":
        begin, end = int(at_ns[0]), int(at_ns[-1])
        first, last = (int(trace.at[warm_up_from]), int(trace.at[-1]) + 1) if len(trace) else (0, 1)
        shared = min(end, last) - max(begin, int(trace.at[0]) if len(trace) else 0)
        if shared < _LEAST_SHARED * (end - begin):
            return cls(np.linspace(first, last, _STRETCHES + 1).astype(np.int64), False, False)
        if len(at_ns) > ENOUGH:
            return cls(at_ns, True, True)
        return cls(np.linspace(begin, end, _STRETCHES + 1).astype(np.int64), True, False)


@dataclass(frozen=True)
class Prediction:
    """Hits and reads in each stretch, by look-up, and under None for all."""

    hits: dict[str | None, Rate]
    asked: Job
    """What is counted."""

    @cached_property
    def outcome(self) -> Outcome:
        """What is counted over the whole time. It takes another replay, which only some counters need."""
        return run(self.asked, "predicted")

    def hit_rate(self, lookup: str | None = None) -> float:
        return self.hits[lookup].whole or 0.0


def predict(trace: Trace, plan: Plan, time: Time, *, is_cold: bool = False) -> Prediction:
    """Replays the plan. A cold cache is empty when counting begins. Raises RulesError if the plan does not fit the
    trace.
    """
    begin, end = (int(one) for one in time.edges_ns[[0, -1]])
    last = int(np.searchsorted(trace.at, end))
    first = int(np.searchsorted(trace.at, begin)) if is_cold else 0
    part = trace if (first, last) == (0, len(trace)) else trace.block(first, last)
    before = max(begin - int(part.at[0]), 0) if len(part) else 0
    then = dataclasses.replace(plan, warm_up=Duration(before))
    asked = job(part, then)
    answers = answers_of(asked)
    is_compared = (part.op == Op.READ) & (part.at >= begin)
    if time.nodes is not None:
        is_theirs = np.isin(part.node, time.nodes)
        is_compared &= is_theirs
        asked = job(part.take(np.flatnonzero(is_theirs | (part.op != Op.READ))), then)
    rows = np.flatnonzero(is_compared)
    hit = answers.hit[rows]
    stretch = np.clip(np.searchsorted(time.edges_ns, part.at[rows], side="right") - 1, 0, len(time.edges_ns) - 2)
    hits: dict[str | None, Rate] = {None: _rate(stretch, hit, len(time.edges_ns) - 1)}
    for number, name in enumerate(part.lookups):
        own = part.lookup[rows] == number
        hits[name] = _rate(stretch[own], hit[own], len(time.edges_ns) - 1)
    return Prediction(hits, asked)


def _rate(stretch: np.ndarray, hit: np.ndarray, stretches: int) -> Rate:
    return Rate(
        np.bincount(stretch[hit], minlength=stretches).astype(float),
        np.bincount(stretch, minlength=stretches).astype(float),
    )
