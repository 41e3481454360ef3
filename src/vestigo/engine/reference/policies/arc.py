"""ARC."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class Arc(Policy):
    """Adaptive replacement: keys seen once, keys seen again, ghosts of both.

    N. Megiddo, D. S. Modha, "ARC: a self-tuning, low overhead replacement cache", FAST 2003. The lists have the paper's
    names. The target moves in whole steps. Where the room is counted in bytes, a step is multiplied by the size of what
    comes in.
    """

    name = "arc"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.t1, self.t2, self.b1, self.b2 = Weighed(), Weighed(), Weighed(), Weighed()
        self.target = 0
        self.came_from: Weighed | None = None
        self.full_of_once = False

    def arriving(self, key: int, size: int) -> None:
        room, weight = self.room.capacity, self.room.weight(size)
        self.came_from = self.b1 if key in self.b1 else self.b2 if key in self.b2 else None
        if self.came_from is self.b1:
            self.target = min(self.target + weight * _ratio(self.b2, self.b1), room)
            self.b1.take(key)
        elif self.came_from is self.b2:
            self.target = max(self.target - weight * _ratio(self.b1, self.b2), 0)
            self.b2.take(key)
        elif self.t1.weight + self.b1.weight + weight > room:
            while self.b1 and self.t1.weight + self.b1.weight + weight > room:
                self.b1.take_oldest()
        else:
            others = self.t1.weight + self.b1.weight + self.t2.weight + weight
            while self.b2 and others + self.b2.weight > 2 * room:
                self.b2.take_oldest()
        self.full_of_once = self.came_from is None and self.t1.weight + weight > room

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        (self.t1 if self.came_from is None else self.t2).push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        self.t2.push(key, (self.t1 if key in self.t1 else self.t2).take(key))

    def left(self, key: int) -> None:
        (self.t1 if key in self.t1 else self.t2).take(key)

    def evict(self) -> int:
        over = self.t1.weight > self.target or (self.came_from is self.b2 and self.t1.weight == self.target)
        if self.t1 and (over or not self.t2):
            key, weight = self.t1.take_oldest()
            if not self.full_of_once:
                self.b1.push(key, weight)
            return key
        key, weight = self.t2.take_oldest()
        self.b2.push(key, weight)
        return key


def _ratio(others: Weighed, own: Weighed) -> int:
    return max(others.weight // own.weight, 1) if own.weight else 1
