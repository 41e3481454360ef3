"""Round durations, as people write them."""

from vestigo.units import SECOND, Duration

_MINUTE, _HOUR, _DAY = 60 * SECOND, 3600 * SECOND, 86_400 * SECOND
ROUND = tuple(
    Duration(number * unit)
    for unit, numbers in {
        SECOND // 1000: (1, 2, 5, 10, 20, 50, 100, 200, 500),
        SECOND: (1, 2, 5, 10, 15, 20, 30),
        _MINUTE: (1, 2, 5, 10, 15, 20, 30),
        _HOUR: (1, 2, 3, 4, 6, 8, 12),
        _DAY: (1, 2, 7, 14, 30),
    }.items()
    for number in numbers
)


def at_least(span_ns: int) -> Duration:
    """The shortest round duration that is not shorter, or the longest of all if there is none.

    >>> at_least(14 * 60 * 10**9), at_most(14 * 60 * 10**9)
    (Duration('15m'), Duration('10m'))
    """
    return next((one for one in ROUND if one >= span_ns), ROUND[-1])


def at_most(span_ns: int) -> Duration | None:
    """The longest round duration that is not longer, if there is one."""
    return next((one for one in reversed(ROUND) if one <= span_ns), None)
