"""What an engine is asked to do: the rules for each look-up, where counting begins, how time is sliced."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from vestigo.engine.groups import Groups, groups_of
from vestigo.engine.origins import Origins, origins_of
from vestigo.engine.preloads import Preloaded, preloaded
from vestigo.errors import RulesError
from vestigo.memo import Memo
from vestigo.outcome import Mark
from vestigo.prepared.counting import Slicing, first_counted, slicing
from vestigo.prepared.fill import Assumed, assume
from vestigo.rules import Plan
from vestigo.rules.plan import Engine
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs
from vestigo.units import LONGEST, SECOND, Duration, format_seconds


@dataclass(frozen=True, eq=False)
class Job(Memo):
    """A trace, and what to replay it with.

    With `instant`, a load ends when it begins, whatever it costs. With `spares` as well, a clear spares what a load
    under way could bring back, and what a write of the last `spares` ns could. No settings answer more
    (docs/semantics.md, "Ceilings").
    """

    trace: Trace
    """As recorded, with the preloads that rules ask for."""
    groups: Groups
    assumed: Assumed
    first_counted: int
    slicing: Slicing
    instant: bool = False
    spares: int | None = None
    engine: Engine = "native"
    origins: Origins = Origins()
    """What answers the loads, unless they are `instant`."""
    preloaded: Preloaded | None = None
    """The trace, if rules ask for preloads, with the rows that were recorded."""
    kept: dict[object, Any] = field(init=False, repr=False, default_factory=dict)
    """What was worked out once for it."""

    @property
    def recorded(self) -> Longs | None:
        """The rows that were recorded. None if all were."""
        return None if self.preloaded is None else self.preloaded.recorded

    def row_of(self, event: int) -> int:
        """The row of a recorded event."""
        return event if self.recorded is None else int(self.recorded[event])

    def event_of(self, row: int) -> int:
        """The recorded event at a row, or the next one after a preload that a rule asks for."""
        return row if self.recorded is None else int(self.recorded.searchsorted(row))


def job(trace: Trace, plan: Plan, instant: bool = False, spares: int | None = None) -> Job:
    """Raises RulesError if the plan does not fit the trace, or its warm-up leaves nothing to count."""
    groups = groups_of(trace, plan)
    with_preloads = preloaded(trace, groups)
    if with_preloads is not None:
        trace = with_preloads.trace
    _check_hit_costs(trace, groups)
    first = first_counted(trace, plan.warm_up)
    if first >= len(trace) > 0:
        span = format_seconds(trace.span_ns / SECOND)
        amount = f"{plan.warm_up}" if isinstance(plan.warm_up, Duration) else f"{plan.warm_up} reads"
        raise RulesError(
            f"the warm-up of {amount} leaves nothing to count; the trace has {trace.reads:,} reads in {span}, "
            "so choose a shorter one"
        )
    assumed = assume(trace, plan)
    origins = Origins() if instant else origins_of(trace, plan, assumed)
    slices = slicing(trace, first)
    return Job(trace, groups, assumed, first, slices, instant, spares, plan.engine, origins, with_preloads)


def _check_hit_costs(trace: Trace, groups: Groups) -> None:
    largest = max(trace.size_range.most, *(group.rules.assume_size for group in groups.each), 0)
    for group in groups.each:
        if largest * group.rules.hit_cost_per_kib // 1024 > LONGEST:
            raise RulesError(
                f"hit_cost_per_kib = {group.rules.hit_cost_per_kib} makes a hit on the largest value of {largest:,} "
                "bytes take more than 100 years; correct one of them"
            )


def marks(trace: Trace) -> tuple[Mark, ...]:
    """The first thousand times when everything, or a look-up, was emptied. They are shown on time axes."""
    marked: dict[Mark, None] = {}
    if not {Op.CLEAR, Op.RESTART} & trace.ops:
        return ()
    for block in trace.blocks():
        rows = np.flatnonzero(block.op >= Op.CLEAR)[: 1000 - len(marked)]
        marked |= dict.fromkeys(Mark(int(block.at[row]), _what(block, int(row))) for row in rows)
    return tuple(marked)


def _what(trace: Trace, row: int) -> str:
    if trace.op[row] == Op.RESTART:
        return "restart"
    lookup = int(trace.lookup[row])
    return f"clear {trace.lookups[lookup]}" if lookup >= 0 else "clear"
