"""LFU, LFU-DA, LRU-K, GDSF and Belady's optimum: of all entries, the one of the lowest rank goes first."""

import heapq
from typing import Any

from vestigo.rules.policy import Policy, Room

_LONG_AGO = -(2**63)


class Ranking:
    """A heap. A key that was ranked anew or removed leaves its old place in it, which is skipped when it comes up."""

    def __init__(self) -> None:
        self.ranks: dict[int, tuple[object, int]] = {}
        self.heap: list[tuple[object, int, int]] = []
        self.ranked = 0

    def __contains__(self, key: int) -> bool:
        return key in self.ranks

    def rank(self, key: int, rank: object) -> None:
        self.ranked += 1
        self.ranks[key] = (rank, self.ranked)
        heapq.heappush(self.heap, (rank, self.ranked, key))

    def take(self, key: int) -> None:
        del self.ranks[key]

    def take_lowest(self) -> tuple[int, Any]:
        """Removes the lowest key, and returns it with its rank."""
        while True:
            rank, since, key = heapq.heappop(self.heap)
            if self.ranks.get(key) == (rank, since):
                del self.ranks[key]
                return key, rank


class Lfu(Policy):
    """Evicts the entry with the fewest uses since it came in. Of equal ones, the least recently used goes first.

    A. V. Aho, P. J. Denning, J. D. Ullman, "Principles of optimal page replacement", Journal of the ACM 18(1), 1971.
    """

    name = "lfu"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.ranking = Ranking()
        self.uses: dict[int, int] = {}
        self.age = 0

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.uses[key] = 1
        self.ranking.rank(key, self.age + 1)

    def hit(self, key: int, now: int) -> None:
        self.uses[key] += 1
        self.ranking.rank(key, self.age + self.uses[key])

    def left(self, key: int) -> None:
        self.ranking.take(key)

    def evict(self) -> int:
        return self.ranking.take_lowest()[0]


class LfuDa(Lfu):
    """The rank of an entry is its uses plus the rank of the last victim. So entries that were popular once grow old.

    M. Arlitt, L. Cherkasova, J. Dilley, R. Friedrich, T. Jin, "Evaluating content management techniques for web proxy
    caches", ACM SIGMETRICS Performance Evaluation Review 27(4), 2000.
    """

    name = "lfu-da"

    def evict(self) -> int:
        key, self.age = self.ranking.take_lowest()
        return key


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
