"""LFU, and LFU with dynamic aging."""

from vestigo.engine.reference.policies.ranking import Ranking
from vestigo.rules.policy import Policy, Room


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
