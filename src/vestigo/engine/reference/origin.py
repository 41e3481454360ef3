"""What becomes of an origin call: docs/semantics.md, "An origin with a capacity"."""

import heapq
from bisect import bisect_right
from collections import deque
from typing import NamedTuple

from vestigo.engine.origins import AS_RECORDED, Origins, Served


class Call(NamedTuple):
    """What becomes of a call, or of a load that shares one."""

    begins: int
    """When it is served."""
    ends: int
    fails: bool
    waiting: int = 0
    """How many calls wait when it comes, itself included."""

    @property
    def takes(self) -> int:
        """How long it is served."""
        return self.ends - self.begins


class Origin:
    """Serves calls in the order in which they come. When one comes, it is known when it will end."""

    def __init__(self, served: Served) -> None:
        self.served = served
        self.places: list[int] = []
        """When each place that was ever taken is free again, the first one first."""
        self.waiting: deque[int] = deque()
        """When each call that waits is served."""

    def call(self, now: int, cost: int) -> Call:
        call = self.serve(self._place(now), cost)
        if self.served.places:
            heapq.heappush(self.places, call.ends)
        while self.waiting and self.waiting[0] <= now:
            self.waiting.popleft()
        if call.begins > now:
            self.waiting.append(call.begins)
        return call._replace(waiting=len(self.waiting))

    def _place(self, now: int) -> int:
        """Takes a place, and returns when it is free."""
        if len(self.places) < self.served.places or not self.served.places:
            return now
        return max(now, heapq.heappop(self.places))

    def serve(self, begins: int, cost: int) -> Call:
        """How long a call is served that would have taken `cost`. While the origin is away, it fails."""
        ends = begins + self._slowed(begins, cost)
        for down, up in self.served.down:
            if down <= begins < up:
                return Call(begins, begins + self.served.fails_after, True)
            if begins < down < ends:
                return Call(begins, down + self.served.fails_after, True)
        return Call(begins, ends, False)

    def _slowed(self, begins: int, cost: int) -> int:
        place = bisect_right(self.served.paces, begins, key=lambda pace: pace.begins)
        if not place:
            return cost
        pace = self.served.paces[place - 1]
        return cost * pace.of // pace.to


def origins(asked: Origins, lookups: int) -> list[Origin]:
    """The origin of each look-up. Look-ups can have the same one."""
    each = [Origin(one) for one in asked.each]
    numbers = asked.of_lookups or (-1,) * lookups
    return [Origin(AS_RECORDED) if number < 0 else each[number] for number in numbers]
