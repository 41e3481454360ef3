"""GDSF."""

from vestigo.engine.reference.policies.ranking import Ranking
from vestigo.rules.policy import Policy, Room


class Gdsf(Policy):
    """Greedy dual by size and frequency: entries that are small, expensive to load and often used stay.

    L. Cherkasova, "Improving WWW proxies performance with greedy-dual-size-frequency caching policy", HP Laboratories
    report HPL-98-69R1, 1998. The cost is the time of the key's last load in ns.
    """

    name = "gdsf"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.ranking = Ranking()
        self.uses: dict[int, int] = {}
        self.sizes: dict[int, int] = {}
        self.costs: dict[int, int] = {}
        self.age = 0.0

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.uses[key], self.sizes[key] = 1, size
        if cost is not None:
            self.costs[key] = cost
        self._rank(key)

    def hit(self, key: int, now: int) -> None:
        self.uses[key] += 1
        self._rank(key)

    def left(self, key: int) -> None:
        self.ranking.take(key)

    def evict(self) -> int:
        key, self.age = self.ranking.take_lowest()
        return key

    def _rank(self, key: int) -> None:
        cost, size = float(max(self.costs.get(key, 0), 1)), float(max(self.sizes[key], 1))
        self.ranking.rank(key, self.age + float(self.uses[key]) * cost / size)
