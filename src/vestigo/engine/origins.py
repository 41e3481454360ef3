"""What answers the loads of each look-up: the origins of a plan, on the clock of a trace."""

from collections import deque
from collections.abc import Iterable
from fractions import Fraction
from typing import NamedTuple

from vestigo.errors import RulesError
from vestigo.prepared.fill import Assumed
from vestigo.rules import Plan
from vestigo.rules.origin import Origin
from vestigo.rules.windows import Stretch
from vestigo.trace import Trace
from vestigo.trace.columns import MISSING
from vestigo.units import LONGEST

NEVER = 5 * 10**18
"""Later than any moment, as the kernel has it."""
_MOST_STRETCHES = 1_000_000


class Pace(NamedTuple):
    """From a moment on, a call takes `of` / `to` times its own time. Both are whole numbers."""

    begins: int
    of: int
    to: int


class Served(NamedTuple):
    """How an origin answers calls. Times in ns."""

    places: int
    """How many calls it serves at a time. 0 means any number."""
    down: tuple[tuple[int, int], ...]
    """From when to when it is away. They do not overlap, and are in order."""
    paces: tuple[Pace, ...]
    """Before the first one, a call takes its own time."""
    fails_after: int
    give_up: int
    slow: int


AS_RECORDED = Served(0, (), (), 0, NEVER, NEVER)
"""It answers any number of calls at any time, each as fast as it was recorded."""


class Origins(NamedTuple):
    each: tuple[Served, ...] = ()
    of_lookups: tuple[int, ...] = ()
    """The origin of each look-up, -1 if nothing is stated of it. Empty if nothing is stated of any."""

    def of(self, lookup: int) -> Served:
        number = self.of_lookups[lookup] if self.of_lookups else -1
        return AS_RECORDED if number < 0 else self.each[number]

    def stated(self, lookups: int) -> tuple[bool, ...]:
        """For each look-up, whether anything is stated of its origin."""
        return tuple(number >= 0 for number in self.of_lookups) or (False,) * lookups

    def some(self, lookups: tuple[int, ...]) -> "Origins":
        """Those of some look-ups, which are numbered anew."""
        numbers = tuple(self.of_lookups[lookup] for lookup in lookups) if self.of_lookups else ()
        there = sorted({number for number in numbers if number >= 0})
        if not there:
            return Origins()
        return Origins(
            tuple(self.each[number] for number in there),
            tuple(there.index(number) if number >= 0 else -1 for number in numbers),
        )

    def queue(self, lookup: int) -> int:
        """The number of the origin for whose places the calls of a look-up wait. -1 if they never wait."""
        number = self.of_lookups[lookup] if self.of_lookups else -1
        return number if number >= 0 and self.each[number].places else -1


def origins_of(trace: Trace, plan: Plan, assumed: Assumed) -> Origins:
    """Raises RulesError if the plan does not fit the trace."""
    found = [plan.origin_for(name) for name in trace.lookups]
    if not any(found) or len(trace) == 0:
        return Origins()
    named = dict(one for one in found if one is not None)
    places = {name: number for number, name in enumerate(named)}
    each = tuple(_served(trace, name, origin) for name, origin in named.items())
    _check_costs(trace, each, assumed)
    return Origins(each, tuple(-1 if one is None else places[one[0]] for one in found))


def _served(trace: Trace, name: str, origin: Origin) -> Served:
    begin, end = int(trace.at[0]), int(trace.at[-1])
    down = origin.down.between(begin, end, origin.zone)
    slower = origin.slower.between(begin, end, origin.zone)
    if len(down) + len(slower) > _MOST_STRETCHES:
        table = f"origin.{name}" if name else "origin"
        raise RulesError(f"{table}: it is down or slower more than {_MOST_STRETCHES:,} times in this trace; state less")
    give_up = NEVER if origin.give_up is None else int(origin.give_up)
    return Served(
        origin.at_once or 0, _joined(down), _paces(slower), int(origin.fails_after), give_up, int(origin.slow)
    )


def _joined(stretches: Iterable[Stretch]) -> tuple[tuple[int, int], ...]:
    """Stretches that overlap, or follow each other at once, become one."""
    joined: list[tuple[int, int]] = []
    for begins, ends, _ in stretches:
        if joined and begins <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], ends))
        else:
            joined.append((begins, ends))
    return tuple(joined)


def _paces(stretches: list[Stretch]) -> tuple[Pace, ...]:
    """How slow it is from when on. Where stretches overlap, the slowest counts."""
    paces, to_come, here = list[Pace](), deque(stretches), list[Stretch]()
    for at in sorted({moment for one in stretches for moment in one[:2]}):
        while to_come and to_come[0].begins <= at:
            here.append(to_come.popleft())
        here = [one for one in here if one.ends > at]
        times = max((one.times for one in here), default=Fraction(1))
        paces.append(Pace(at, times.numerator, times.denominator))
    return tuple(paces)


def _check_costs(trace: Trace, each: Iterable[Served], assumed: Assumed) -> None:
    """A moment at which all calls are over, one after the other, must be one that the engines can tell."""
    longest = max(trace.cost_range.most, *assumed.cost, 0)
    calls = total = 0
    for block in trace.blocks():
        known = block.cost != MISSING
        calls += len(block)
        total += int(block.cost[known].sum()) + longest * int((~known).sum())
    for one in each:
        slowest = max((-(-pace.of // pace.to) for pace in one.paces), default=1)
        if total * slowest + calls * one.fails_after > LONGEST:
            raise RulesError(
                "origin: all calls of the trace, one after the other, would take more than 100 years; make slower or "
                "fails_after less"
            )
