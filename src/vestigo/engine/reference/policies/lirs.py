"""LIRS."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class Lirs(Policy):
    """Low inter-reference recency: entries that are used twice within a short time stay. The others pass through a
    short queue.

    S. Jiang, X. Zhang, "LIRS: an efficient low inter-reference recency set replacement policy to improve buffer cache
    performance", SIGMETRICS 2002. As in the paper, the stack has no limit.
    """

    name = "lirs"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.most_low,) = room.numbers
        self.low: dict[int, int] = {}
        """The weights of the entries of low recency (LIR)."""
        self.passing = Weighed()
        """The other entries (resident HIR): the queue Q."""
        self.stack = Weighed()
        """By recency, all of `low`, and of the others, held or not, what is as recent: the stack S. It weighs
        nothing."""

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        weight = self.room.weight(size)
        if sum(self.low.values()) + weight <= self.most_low or key in self.stack:
            self._become_low(key, weight)
        else:
            self.stack[key] = 0
            self.passing.push(key, weight)

    def hit(self, key: int, now: int) -> None:
        if key in self.low:
            self.stack.renew(key)
            self._prune()
        elif key in self.stack:
            self._become_low(key, self.passing.take(key))
        else:
            self.stack[key] = 0
            self.passing.renew(key)

    def left(self, key: int) -> None:
        if key in self.passing:
            self.passing.take(key)
        else:
            del self.low[key]
        self.stack.pop(key, None)
        self._prune()

    def evict(self) -> int:
        if self.passing:
            return self.passing.take_oldest()[0]
        key = self.stack.oldest
        self.left(key)
        return key

    def _become_low(self, key: int, weight: int) -> None:
        self.stack[key] = 0
        self.stack.renew(key)
        self.low[key] = weight
        while sum(self.low.values()) > self.most_low:
            self._prune()
            oldest = self.stack.oldest
            del self.stack[oldest]
            self.passing.push(oldest, self.low.pop(oldest))
        self._prune()

    def _prune(self) -> None:
        """Removes old keys from the stack until its oldest one is of low recency, or the stack is empty."""
        while self.stack and self.stack.oldest not in self.low:
            del self.stack[self.stack.oldest]
