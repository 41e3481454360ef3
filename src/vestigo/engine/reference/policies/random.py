"""Random eviction."""

from vestigo.engine.reference.draw import STEP, draw_below, mix
from vestigo.rules.policy import Policy, Room


class Random(Policy):
    """Evicts any entry, each with the same probability.

    L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems Journal 5(2), 1966.
    """

    name = "random"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.state,) = room.numbers
        self.held: list[int] = []

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.held.append(key)

    def left(self, key: int) -> None:
        place, last = self.held.index(key), self.held.pop()
        if last != key:
            self.held[place] = last

    def evict(self) -> int:
        self.state += STEP
        key = self.held[draw_below(mix(self.state), len(self.held))]
        self.left(key)
        return key
