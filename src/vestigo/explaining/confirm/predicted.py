"""What a replay gives over the time of the counters."""

import dataclasses
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vestigo.engine.few_traces import FewTraces
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
_WARM_AND_COLD = 2
"""Of the time of the counters there are two traces: with what came before, and without."""


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
    part = trace if (first, last) == (0, len(trace)) else _rows(trace, first, last)
    before = max(begin - int(part.at[0]), 0) if len(part) else 0
    then = dataclasses.replace(plan, warm_up=Duration(before))
    asked = job(part, then)
    hits = _compared(part, time).hits(answers_of(asked).hit)
    if time.nodes is not None:
        asked = job(_read_on(part, time.nodes), then)
    return Prediction(hits, asked)


@dataclass(frozen=True, eq=False)
class _Compared:
    """The reads of a trace that are compared."""

    lookups: tuple[str, ...]
    rows: Longs
    place: Longs
    """Of each, its look-up and stretch as one number: where it is in a table that has a line for each look-up."""
    reads: np.ndarray
    """How many there are, by look-up and stretch."""

    def __len__(self) -> int:
        return len(self.rows)

    @classmethod
    def of(cls, trace: Trace, time: Time) -> "_Compared":
        edges_ns, stretches = time.edges_ns, len(time.edges_ns) - 1
        chosen = (trace.op == Op.READ) & (trace.at >= edges_ns[0])
        if time.nodes is not None:
            chosen &= np.isin(trace.node, time.nodes)
        rows = np.flatnonzero(chosen)
        stretch = np.clip(np.searchsorted(edges_ns, trace.at[rows], side="right") - 1, 0, stretches - 1)
        place = trace.lookup[rows].astype(np.int64) * stretches + stretch
        shape = len(trace.lookups), stretches
        return cls(trace.lookups, rows, place, np.bincount(place, minlength=shape[0] * shape[1]).reshape(shape))

    def hits(self, hit: np.ndarray) -> dict[str | None, Rate]:
        """By look-up, if the trace's rows are answered so."""
        hits = np.bincount(self.place[hit[self.rows]], minlength=self.reads.size).reshape(self.reads.shape)
        rates: dict[str | None, Rate] = {None: _rate(hits.sum(0), self.reads.sum(0))}
        return rates | {name: _rate(*counts) for name, *counts in zip(self.lookups, hits, self.reads, strict=True)}


def _rate(hits: np.ndarray, reads: np.ndarray) -> Rate:
    return Rate(hits.astype(float), reads.astype(float))


# What follows is the same for all plans that are tried. It is worked out once, and so is what is prepared of it.


def _rows(trace: Trace, first: int, last: int) -> Trace:
    few: FewTraces[Trace] = trace.once("rows of counters", lambda: FewTraces(_WARM_AND_COLD))
    return few.get((first, last), lambda: trace.block(first, last))


def _compared(trace: Trace, time: Time) -> _Compared:
    few: FewTraces[_Compared] = trace.once("compared", lambda: FewTraces(1))
    return few.get((time.edges_ns.tobytes(), time.nodes), lambda: _Compared.of(trace, time))


def _read_on(trace: Trace, nodes: tuple[int, ...]) -> Trace:
    """The trace without the reads of other nodes."""

    def left() -> Trace:
        return trace.take(np.flatnonzero(np.isin(trace.node, nodes) | (trace.op != Op.READ)))

    few: FewTraces[Trace] = trace.once("read on", lambda: FewTraces(1))
    return few.get(nodes, left)
