"""Keys by rank: the lowest comes first. Of equal ranks, the key that was ranked first comes first."""

import heapq
from typing import Any


class Ranking:
    """A heap. A key that was ranked anew or removed leaves its old place in it, which is skipped when it comes up."""

    def __init__(self) -> None:
        self.ranks: dict[int, tuple[Any, int]] = {}
        self.heap: list[tuple[Any, int, int]] = []
        self.ranked = 0

    def __contains__(self, key: int) -> bool:
        return key in self.ranks

    def rank(self, key: int, rank: Any) -> None:
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
