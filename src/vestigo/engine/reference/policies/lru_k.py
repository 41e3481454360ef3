"""LRU-K."""

from vestigo.engine.reference.policies.ranking import Ranking
from vestigo.rules.policy import Policy, Room

_LONG_AGO = -(2**63)


class LruK(Policy):
    """Evicts the entry whose K-th last reference is longest ago. Entries with fewer references go before all others,
    the least recently used first.

    E. J. O'Neil, P. E. O'Neil, G. Weikum, "The LRU-K page replacement algorithm for database disk buffering", SIGMOD
    1993.

    Every reference counts. The paper leaves out repeated references of one transaction, but a trace does not know
    transactions.
    """

    name = "lru-k"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.k, self.retained = room.numbers
        self.ranking = Ranking()
        self.references: dict[int, list[int]] = {}
        """The last K of each key, the latest first; also of keys that are not held."""

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        known = self.references.get(key, [])
        self._refer(key, now, known if known and now - known[0] <= self.retained else [])

    def hit(self, key: int, now: int) -> None:
        self._refer(key, now, self.references[key])

    def left(self, key: int) -> None:
        self.ranking.take(key)

    def evict(self) -> int:
        return self.ranking.take_lowest()[0]

    def _refer(self, key: int, now: int, known: list[int]) -> None:
        self.references[key] = times = [now, *known][: self.k]
        self.ranking.rank(key, times[-1] if len(times) == self.k else _LONG_AGO)
