"""Whether the values of a look-up change on the clock: every ten minutes, or at midnight."""

from typing import NamedTuple

import numpy as np

from vestigo.choosing.proof import OnTheClock
from vestigo.trace.trace import Longs
from vestigo.units import SECOND, Duration

_DAY = 86_400 * SECOND
_PERIODS = tuple(hours * 3600 * SECOND for hours in (24, 12, 8, 6, 4, 3, 2, 1)) + tuple(
    minutes * 60 * SECOND for minutes in (30, 20, 15, 10)
)
_MOST_CHANGES = 0.9
"""So many of the changes lie in the window."""
_LONGEST_SHARE, _LONGEST_NS = 0.05, 120 * SECOND
"""How long a window may be, as a share of a period, and at most."""
_FEWEST_CHANGES = 20
_STEP = 5 * SECOND
"""People write times to this precision."""


class Clock(NamedTuple):
    """Most changes lie within a window that comes back once in each period."""

    period_ns: int
    begins_ns: int
    """When the window begins, from midnight (UTC) on."""
    window_ns: int
    share: float
    """How many of the changes lie in it."""

    def times(self) -> list[str]:
        """Times of day at which to begin anew, as a plan writes them: at the beginning of each window, or at its
        end.
        """
        begins = self.begins_ns // _STEP * _STEP
        ends = -(-(self.begins_ns + self.window_ns) // _STEP) * _STEP
        return [self._every(offset % self.period_ns) for offset in dict.fromkeys((begins, ends))]

    def of(self, lookup: str) -> OnTheClock:
        """What is told of it."""
        return OnTheClock(lookup, self._every(self.begins_ns), self.window_ns, self.share)

    def _every(self, offset_ns: int) -> str:
        begin = _written(offset_ns // SECOND)
        if self.period_ns == _DAY:
            return begin
        return f"every {Duration(self.period_ns)}{f' from {begin}' if offset_ns >= SECOND else ''}"


def clock_of(at: Longs, late: Longs) -> Clock | None:
    """The longest period on which changes come that were seen at these times, in ns since the epoch. Each of them
    happened at most so much earlier, which is `late`. Only those count that were seen soon enough to tell.
    """
    found = (_on(at[late <= _longest(period)], period) for period in _PERIODS)
    return next((clock for clock in found if clock is not None), None)


def _on(at: Longs, period_ns: int) -> Clock | None:
    if len(at) < _FEWEST_CHANGES:
        return None
    phases = np.sort(at % period_ns)
    inside = int(np.ceil(len(at) * _MOST_CHANGES))
    circle = np.concatenate([phases, phases + period_ns])
    windows = circle[inside - 1 : inside - 1 + len(at)] - circle[: len(at)]
    place = int(np.argmin(windows))
    begins, window = int(circle[place]), int(windows[place])
    if window > _longest(period_ns):
        return None
    share = float(np.mean((at - begins) % period_ns <= window))
    return Clock(period_ns, begins % period_ns, window, share)


def _longest(period_ns: int) -> float:
    return min(period_ns * _LONGEST_SHARE, _LONGEST_NS)


def _written(second: int) -> str:
    hour, minute, rest = second // 3600, second // 60 % 60, second % 60
    return f"{hour:02}:{minute:02}" + (f":{rest:02}" if rest else "")
