"""SLRU."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class Slru(Policy):
    """Segmented LRU: an entry that is hit moves from probation into a protected part, and back when that part is full.

    R. Karedla, J. S. Love, B. G. Wherry, "Caching strategies to improve disk system performance", IEEE Computer 27(3),
    1994.
    """

    name = "slru"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.most_protected,) = room.numbers
        self.probation, self.protected = Weighed(), Weighed()

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.probation.push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        if key in self.protected:
            self.protected.renew(key)
            return
        self.protected.push(key, self.probation.take(key))
        while self.protected.weight > self.most_protected:
            self.probation.push(*self.protected.take_oldest())

    def left(self, key: int) -> None:
        (self.protected if key in self.protected else self.probation).take(key)

    def evict(self) -> int:
        return (self.probation or self.protected).take_oldest()[0]
