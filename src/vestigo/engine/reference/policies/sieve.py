"""SIEVE."""

from vestigo.rules.policy import Policy, Room


class Sieve(Policy):
    """Entries stay where they came in. A hand goes from old to new, and takes the first entry that was not hit since it
    last passed.

    Y. Zhang, J. Yang, Y. Yue, Y. Vigfusson, K. V. Rashmi, "SIEVE is simpler than LRU: an efficient turn-key eviction
    algorithm for web caches", NSDI 2024.
    """

    name = "sieve"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.queue: list[int] = []
        self.visited: dict[int, bool] = {}
        self.hand = 0
        """A place in the queue; its end is the beginning again."""

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        at_the_end = 0 < self.hand == len(self.queue)
        self.queue.append(key)
        self.visited[key] = False
        if at_the_end:
            self.hand = 0

    def hit(self, key: int, now: int) -> None:
        self.visited[key] = True

    def left(self, key: int) -> None:
        place = self.queue.index(key)
        self.queue.remove(key)
        del self.visited[key]
        if place < self.hand:
            self.hand -= 1

    def evict(self) -> int:
        while True:
            self.hand %= len(self.queue)
            key = self.queue[self.hand]
            if not self.visited[key]:
                self.left(key)
                return key
            self.visited[key] = False
            self.hand += 1
