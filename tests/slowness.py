"""Limits of time for tests. A machine that others use too may be five times slower than a minute ago, so that a limit
in plain seconds fails without a defect.
"""

import time

_TIMES = 1_000_000
_USUAL_SECONDS = 0.05  # what so many additions take where nothing else is done


def seconds(usual: float) -> float:
    """A limit of so many seconds, made longer by how slow the machine is at this moment, and doubled, because the
    moment before may have been slower.
    """
    begun = time.perf_counter()
    total = 0
    for number in range(_TIMES):
        total += number
    slowness = (time.perf_counter() - begun) / _USUAL_SECONDS
    return usual * max(1.0, 2 * slowness)
