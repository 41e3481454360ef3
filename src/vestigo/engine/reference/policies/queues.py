"""SLRU, 2Q, S3-FIFO, W-TinyLFU, ARC and LIRS: an entry passes through several queues."""

from collections import OrderedDict

from vestigo.rules.policy import Policy, Room


class Weighed(OrderedDict[int, int]):
    """The newest key is the last one."""

    weight = 0

    def push(self, key: int, weight: int) -> None:
        self[key] = weight
        self.weight += weight

    def take(self, key: int) -> int:
        """Removes the key and returns its weight."""
        weight = self.pop(key)
        self.weight -= weight
        return weight

    @property
    def oldest(self) -> int:
        return next(iter(self))

    def take_oldest(self) -> tuple[int, int]:
        """Removes the oldest key, and returns it with its weight."""
        key = self.oldest
        return key, self.take(key)

    def renew(self, key: int) -> None:
        self.move_to_end(key)

    def trim(self, most: int) -> None:
        while self.weight > most:
            self.take_oldest()


class Slru(Policy):
    """Segmented LRU: an entry that is hit moves from probation into a protected part, and back when that part is full.

    R. Karedla, J. S. Love, B. G. Wherry, "Caching strategies to improve disk system performance", IEEE Computer 27(3),
    1994.
    """

    name = "slru"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.most_protected,) = room.numbers
        self.probation, self.protected = Weighed(), Weighed()

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.probation.push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        if key in self.protected:
            self.protected.renew(key)
            return
        self.protected.push(key, self.probation.take(key))
        while self.protected.weight > self.most_protected:
            self.probation.push(*self.protected.take_oldest())

    def left(self, key: int) -> None:
        (self.protected if key in self.protected else self.probation).take(key)

    def evict(self) -> int:
        return (self.probation or self.protected).take_oldest()[0]


class TwoQ(Policy):
    """New entries wait in a queue. Only a key that is asked for again soon after it left the queue comes into the main
    part.

    T. Johnson, D. Shasha, "2Q: a low overhead high performance buffer management replacement algorithm", VLDB 1994: the
    full version.
    """

    name = "2q"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.most_waiting, self.most_out = room.numbers
        self.waiting, self.main, self.out = Weighed(), Weighed(), Weighed()  # A1in, Am, A1out
        self.returns = False

    def arriving(self, key: int, size: int) -> None:
        self.returns = key in self.out

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        if key in self.out:
            self.out.take(key)
        (self.main if self.returns else self.waiting).push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        if key in self.main:
            self.main.renew(key)

    def left(self, key: int) -> None:
        (self.main if key in self.main else self.waiting).take(key)

    def evict(self) -> int:
        if self.waiting.weight <= self.most_waiting and self.main:
            return self.main.take_oldest()[0]
        key, weight = self.waiting.take_oldest()
        self.out.push(key, weight)
        self.out.trim(self.most_out)
        return key


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


class Arc(Policy):
    """Adaptive replacement: keys seen once, keys seen again, ghosts of both.

    N. Megiddo, D. S. Modha, "ARC: a self-tuning, low overhead replacement cache", FAST 2003. The lists have the paper's
    names. The target moves in whole steps. Where the room is counted in bytes, a step is multiplied by the size of what
    comes in.
    """

    name = "arc"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.t1, self.t2, self.b1, self.b2 = Weighed(), Weighed(), Weighed(), Weighed()
        self.target = 0
        self.came_from: Weighed | None = None
        self.full_of_once = False

    def arriving(self, key: int, size: int) -> None:
        room, weight = self.room.capacity, self.room.weight(size)
        self.came_from = self.b1 if key in self.b1 else self.b2 if key in self.b2 else None
        if self.came_from is self.b1:
            self.target = min(self.target + weight * _ratio(self.b2, self.b1), room)
            self.b1.take(key)
        elif self.came_from is self.b2:
            self.target = max(self.target - weight * _ratio(self.b1, self.b2), 0)
            self.b2.take(key)
        elif self.t1.weight + self.b1.weight + weight > room:
            while self.b1 and self.t1.weight + self.b1.weight + weight > room:
                self.b1.take_oldest()
        else:
            others = self.t1.weight + self.b1.weight + self.t2.weight + weight
            while self.b2 and others + self.b2.weight > 2 * room:
                self.b2.take_oldest()
        self.full_of_once = self.came_from is None and self.t1.weight + weight > room

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        (self.t1 if self.came_from is None else self.t2).push(key, self.room.weight(size))

    def hit(self, key: int, now: int) -> None:
        self.t2.push(key, (self.t1 if key in self.t1 else self.t2).take(key))

    def left(self, key: int) -> None:
        (self.t1 if key in self.t1 else self.t2).take(key)

    def evict(self) -> int:
        over = self.t1.weight > self.target or (self.came_from is self.b2 and self.t1.weight == self.target)
        if self.t1 and (over or not self.t2):
            key, weight = self.t1.take_oldest()
            if not self.full_of_once:
                self.b1.push(key, weight)
            return key
        key, weight = self.t2.take_oldest()
        self.b2.push(key, weight)
        return key


def _ratio(others: Weighed, own: Weighed) -> int:
    return max(others.weight // own.weight, 1) if own.weight else 1


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
