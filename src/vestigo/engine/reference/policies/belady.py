"""Belady's optimum."""

from vestigo.engine.reference.policies.ranking import Ranking
from vestigo.rules.policy import Policy, Room


class Belady(Policy):
    """Evicts the entry whose next read is farthest away. Of entries that are never read again, the least recently used
    goes first.

    L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems Journal 5(2), 1966.
    """

    name = "belady"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.ranking = Ranking()
        self.next_read: dict[int, int] = {}

    def coming(self, key: int, next_read: int) -> None:
        """Hears that an event of the key happens. `next_read` is the row of its next read."""
        changes = self.next_read.get(key) != next_read
        self.next_read[key] = next_read
        if changes and key in self.ranking:
            self.ranking.rank(key, -next_read)

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.ranking.rank(key, -self.next_read[key])

    def left(self, key: int) -> None:
        self.ranking.take(key)

    def evict(self) -> int:
        return self.ranking.take_lowest()[0]
