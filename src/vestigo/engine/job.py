"""What an engine is asked to do: rules for each look-up, where counting begins, how time is sliced."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.errors import RulesError
from vestigo.outcome import Mark
from vestigo.rules import Rules
from vestigo.trace import Op, Trace
from vestigo.units import SECOND, Duration, format_seconds

_MOST_SLICES = 200
MOST_CLEARS = 1_000_000
"""By the schedule of one look-up."""
_DAY = 86_400
_WIDTHS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200] + [
    _DAY * step * 10**power for power in range(4) for step in (1, 2, 5)
]


class Slicing(NamedTuple):
    """Equal slices on round clock times: the first begins at `origin_ns`."""

    origin_ns: int
    width_ns: int
    most: int


@dataclass(frozen=True)
class Job:
    """`rules` by look-up id. `instant`: a load ends when it begins, whatever it costs."""

    rules: tuple[Rules, ...]
    first_counted: int
    slicing: Slicing
    instant: bool = False

    @property
    def pools(self) -> tuple[Rules, ...]:
        """The rules of each pool."""
        return self.rules

    @property
    def pool_of(self) -> tuple[int, ...]:
        """The pool of each look-up."""
        return tuple(range(len(self.rules)))


def job(trace: Trace, rules: tuple[Rules, ...], warm_up: Duration | int, instant: bool = False) -> Job:
    """Raises RulesError if the warm-up leaves nothing to count."""
    first = first_counted(trace, warm_up)
    if first >= len(trace) > 0:
        span = format_seconds(trace.span_ns / SECOND)
        amount = f"{warm_up}" if isinstance(warm_up, Duration) else f"{warm_up} reads"
        raise RulesError(
            f"the warm-up of {amount} leaves nothing to count; the trace has {trace.reads:,} reads in {span}, "
            "so choose a shorter one"
        )
    often = [one.clear_every for one in rules if one.clear_every and trace.span_ns > MOST_CLEARS * one.clear_every]
    if often:
        raise RulesError(
            f"clear_every = {min(often)} would clear more than {MOST_CLEARS:,} times in this trace; choose a longer one"
        )
    return Job(rules, first, slicing(trace, first), instant)


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


def slicing(trace: Trace, first: int) -> Slicing:
    """The finest round width that gives at most 200 slices."""
    if first >= len(trace):
        return Slicing(0, SECOND, 1)
    begin, end = int(trace.at[first]), int(trace.at[-1])
    for seconds in _WIDTHS:
        width = seconds * SECOND
        origin = begin // width * width
        count = (end - origin) // width + 1
        if count <= _MOST_SLICES:
            break
    return Slicing(origin, width, count)


def marks(trace: Trace) -> tuple[Mark, ...]:
    """When everything, or a look-up, was emptied: the first thousand times, for a time axis."""
    found: dict[Mark, None] = {}
    for part in trace.parts():
        rows = np.flatnonzero(part.op >= Op.CLEAR)[: 1000 - len(found)]
        found |= dict.fromkeys(Mark(int(part.at[row]), _what(part, int(row))) for row in rows)
    return tuple(found)


def _what(trace: Trace, row: int) -> str:
    if trace.op[row] == Op.RESTART:
        return "restart"
    lookup = int(trace.lookup[row])
    return f"clear {trace.lookups[lookup]}" if lookup >= 0 else "clear"
