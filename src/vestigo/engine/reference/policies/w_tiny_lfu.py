"""W-TinyLFU."""

from vestigo.engine.reference.policies.weighed import Weighed
from vestigo.rules.policy import Policy, Room


class WTinyLfu(Policy):
    """A small window, and a segmented main part that lets in only entries that were used more often than its next
    victim.

    G. Einziger, R. Friedman, B. Manes, "TinyLFU: a highly efficient cache admission policy", ACM Transactions on
    Storage 13(4), 2017. Uses are counted exactly, where the paper uses a sketch.
    """

    name = "w-tinylfu"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.most_window, self.most_protected, self.sample = room.numbers
        self.window, self.probation, self.protected = Weighed(), Weighed(), Weighed()
        self.uses: dict[int, int] = {}
        self.counted = 0
        self.coming = 0

    def arriving(self, key: int, size: int) -> None:
        self._use(key)
        self.coming = self.room.weight(size)

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.window.push(key, self.room.weight(size))
        while self.window.weight > self.most_window:
            self.probation.push(*self.window.take_oldest())

    def hit(self, key: int, now: int) -> None:
        self._use(key)
        if key in self.window:
            self.window.renew(key)
        elif key in self.protected:
            self.protected.renew(key)
        else:
            self.protected.push(key, self.probation.take(key))
            while self.protected.weight > self.most_protected:
                self.probation.push(*self.protected.take_oldest())

    def left(self, key: int) -> None:
        next(part for part in (self.window, self.probation, self.protected) if key in part).take(key)

    def evict(self) -> int:
        main = self.probation or self.protected
        if not self.window or (main and self.window.weight + self.coming <= self.most_window):
            return main.take_oldest()[0]
        candidate, weight = self.window.take_oldest()
        if not main or self.uses.get(candidate, 0) <= self.uses.get(main.oldest, 0):
            return candidate
        victim, _ = main.take_oldest()
        self.probation.push(candidate, weight)
        return victim

    def _use(self, key: int) -> None:
        self.uses[key] = min(self.uses.get(key, 0) + 1, self.sample)
        self.counted += 1
        held = len(self.window) + len(self.probation) + len(self.protected)
        if self.counted >= self.sample * (max(held, 1) if self.room.by_bytes else self.room.capacity):
            self.counted //= 2
            self.uses = {key: uses // 2 for key, uses in self.uses.items()}
