"""2Q."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class TwoQ(Policy):
    """New entries wait in a queue. Only a key that is asked for again soon after it left the queue comes into the main
    part.

    T. Johnson, D. Shasha, "2Q: a low overhead high performance buffer management replacement algorithm", VLDB 1994: the
    full version.
    """

    name = "2q"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.most_waiting, self.most_out = room.numbers
        self.waiting, self.main, self.out = Weighed(), Weighed(), Weighed()  # A1in, Am, A1out
        self.returns = False

    def arriving(self, key: int, size: int) -> None:
        self.returns = key in self.out

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        if key in self.out:
            self.out.take(key)
        (self.main if self.returns else self.waiting).push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        if key in self.main:
            self.main.renew(key)

    def left(self, key: int) -> None:
        (self.main if key in self.main else self.waiting).take(key)

    def evict(self) -> int:
        if self.waiting.weight <= self.most_waiting and self.main:
            return self.main.take_oldest()[0]
        key, weight = self.waiting.take_oldest()
        self.out.push(key, weight)
        self.out.trim(self.most_out)
        return key
