"""S3-FIFO."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class S3Fifo(Policy):
    """A small queue holds what is new, a main queue what was used more than once there. Ghosts remember the rest.

    J. Yang, Y. Zhang, Z. Qiu, Y. Yue, K. V. Rashmi, "FIFO queues are all you need for cache eviction", SOSP 2023. An
    eviction has exactly one victim, even if the main queue gives up an entry while the small queue is searched.
    """

    name = "s3-fifo"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.most_small,) = room.numbers
        self.most_main = room.capacity - self.most_small
        self.small, self.main, self.ghosts = Weighed(), Weighed(), Weighed()
        self.uses: dict[int, int] = {}

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        returns = key in self.ghosts
        if returns:
            self.ghosts.take(key)
        self.uses[key] = 0
        (self.main if returns else self.small).push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        self.uses[key] = min(self.uses[key] + 1, 3)

    def left(self, key: int) -> None:
        (self.small if key in self.small else self.main).take(key)

    def evict(self) -> int:
        if self.small.weight < self.most_small and self.main:
            return self._evict_main()
        while self.small:
            key, weight = self.small.take_oldest()
            if self.uses[key] <= 1:
                self.ghosts.push(key, weight)
                self.ghosts.trim(self.most_main)
                return key
            self.uses[key] = 0
            self.main.push(key, weight)
            if self.main.weight > self.most_main:
                break
        return self._evict_main()

    def _evict_main(self) -> int:
        while True:
            key, weight = self.main.take_oldest()
            if self.uses[key] == 0:
                return key
            self.uses[key] -= 1
            self.main.push(key, weight)
