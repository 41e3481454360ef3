"""Which events count, and into which slices of time they are divided."""

from typing import NamedTuple

import numpy as np

from vestigo.trace import Op, Trace
from vestigo.units import SECOND, Duration

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


def first_counted(trace: Trace, warm_up: Duration | int) -> int:
    """The first event that counts: the first at or after the end of the warm-up, or the first after its last read."""
    if len(trace) == 0 or warm_up == 0:
        return 0
    if isinstance(warm_up, Duration):
        return int(np.searchsorted(trace.at, trace.at[0] + int(warm_up)))
    events = 0
    for block in trace.blocks():
        reads = np.flatnonzero(block.op == Op.READ)
        if warm_up <= len(reads):
            return events + int(reads[warm_up - 1]) + 1
        warm_up, events = warm_up - len(reads), events + len(block)
    return events


def slicing(trace: Trace, first: int, most: int = _MOST_SLICES) -> Slicing:
    """The slices of the finest round width that gives at most the wanted number, if there is one."""
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
