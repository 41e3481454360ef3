"""What an engine is asked to do: rules for each look-up, where counting begins, how time is sliced."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.engine.rooms import Rooms, rooms_of
from vestigo.errors import RulesError
from vestigo.outcome import Mark
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.trace import MISSING
from vestigo.units import LONGEST, SECOND, Duration, format_seconds

_MOST_SLICES = 200
_DAY = 86_400
_WIDTHS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200] + [
    _DAY * step * 10**power for power in range(4) for step in (1, 2, 5)
]


class Slicing(NamedTuple):
    """Equal slices on round clock times: the first begins at `origin_ns`."""

    origin_ns: int
    width_ns: int
    most: int


class Assumed(NamedTuple):
    """By look-up: what stands for the sizes and the costs of one that gives none."""

    size: tuple[int, ...]
    cost: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Job:
    """What to replay a trace with.

    `instant`: a load ends when it begins, whatever it costs. With `spares`, a clear then spares what a load that is
    under way could bring back, and what a write so many ns before it; no settings answer more (docs/semantics.md,
    "Ceilings").
    """

    rooms: Rooms
    assumed: Assumed
    first_counted: int
    slicing: Slicing
    instant: bool = False
    spares: int | None = None


def job(trace: Trace, plan: Plan, instant: bool = False, spares: int | None = None) -> Job:
    """Raises RulesError if the plan does not fit the trace, or its warm-up leaves nothing to count."""
    rooms = rooms_of(trace, plan)
    _check_hit_costs(trace, rooms)
    first = first_counted(trace, plan.warm_up)
    if first >= len(trace) > 0:
        span = format_seconds(trace.span_ns / SECOND)
        amount = f"{plan.warm_up}" if isinstance(plan.warm_up, Duration) else f"{plan.warm_up} reads"
        raise RulesError(
            f"the warm-up of {amount} leaves nothing to count; the trace has {trace.reads:,} reads in {span}, "
            "so choose a shorter one"
        )
    return Job(rooms, assume(trace, plan), first, slicing(trace, first), instant, spares)


def _check_hit_costs(trace: Trace, rooms: Rooms) -> None:
    largest = max(trace.sizes.most, *(room.rules.assume_size for room in rooms.rooms), 0)
    for room in rooms.rooms:
        if largest * room.rules.hit_cost_per_kib // 1024 > LONGEST:
            raise RulesError(
                f"hit_cost_per_kib = {room.rules.hit_cost_per_kib} makes a hit on the largest value of {largest:,} "
                "bytes take more than 100 years; correct the one or the other"
            )


def assume(trace: Trace, plan: Plan) -> Assumed:
    """What the plan assumes, where the trace leaves anything open."""
    rules = [plan.rules_for(name) for name in trace.lookups]
    defaults = [Plan().rules] * len(rules)
    sizes = rules if trace.sizes.least == MISSING else defaults
    costs = rules if trace.costs.least == MISSING else defaults
    return Assumed(tuple(one.assume_size for one in sizes), tuple(int(one.assume_cost) for one in costs))


def first_counted(trace: Trace, warm_up: Duration | int) -> int:
    """The first event that counts: the first at or after the warm-up's end, or after its last read."""
    if len(trace) == 0 or warm_up == 0:
        return 0
    if isinstance(warm_up, Duration):
        return int(np.searchsorted(trace.at, trace.at[0] + int(warm_up)))
    events = 0
    for part in trace.parts():
        reads = np.flatnonzero(part.op == Op.READ)
        if warm_up <= len(reads):
            return events + int(reads[warm_up - 1]) + 1
        warm_up, events = warm_up - len(reads), events + len(part)
    return events


def slicing(trace: Trace, first: int, most: int = _MOST_SLICES) -> Slicing:
    """The finest round width that gives at most so many slices, if there is one."""
    if first >= len(trace):
        return Slicing(0, SECOND, 1)
    begin, end = int(trace.at[first]), int(trace.at[-1])
    for seconds in _WIDTHS:
        width = seconds * SECOND
        origin = begin // width * width
        count = (end - origin) // width + 1
        if count <= most:
            break
    return Slicing(origin, width, count)


def marks(trace: Trace) -> tuple[Mark, ...]:
    """When everything, or a look-up, was emptied: the first thousand times, for a time axis."""
    found: dict[Mark, None] = {}
    if not {Op.CLEAR, Op.RESTART} & trace.ops:
        return ()
    for part in trace.parts():
        rows = np.flatnonzero(part.op >= Op.CLEAR)[: 1000 - len(found)]
        found |= dict.fromkeys(Mark(int(part.at[row]), _what(part, int(row))) for row in rows)
    return tuple(found)


def _what(trace: Trace, row: int) -> str:
    if trace.op[row] == Op.RESTART:
        return "restart"
    lookup = int(trace.lookup[row])
    return f"clear {trace.lookups[lookup]}" if lookup >= 0 else "clear"
