"""FIFO, LRU, MRU, CLOCK, SIEVE and random: entries stand in one order."""

from collections import OrderedDict

from vestigo.engine.reference.draw import STEP, draw_below, mix
from vestigo.rules.policy import Policy, Room


class Fifo(Policy):
    """First in, first out.

    L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems Journal 5(2), 1966.
    """

    name = "fifo"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.order: OrderedDict[int, None] = OrderedDict()

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.order[key] = None

    def left(self, key: int) -> None:
        del self.order[key]

    def evict(self) -> int:
        return self.order.popitem(last=False)[0]


class Lru(Fifo):
    """Least recently used.

    Analysed as a page replacement rule in Belady 1966, as above.
    """

    name = "lru"

    def hit(self, key: int, now: int) -> None:
        self.order.move_to_end(key)


class Mru(Lru):
    """Most recently used.

    H.-T. Chou, D. J. DeWitt, "An evaluation of buffer management strategies for relational database systems", VLDB
    1985.
    """

    name = "mru"

    def evict(self) -> int:
        return self.order.popitem()[0]


class Clock(Policy):
    """A hand goes round. It spares an entry once if the entry was hit since the hand last passed.

    F. J. Corbató, "A paging experiment with the Multics system", MIT Project MAC, 1968.
    """

    name = "clock"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.bits: OrderedDict[int, bool] = OrderedDict()
        """From the entry under the hand on, round to the one just behind it."""

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.bits[key] = False

    def hit(self, key: int, now: int) -> None:
        self.bits[key] = True

    def left(self, key: int) -> None:
        del self.bits[key]

    def evict(self) -> int:
        while True:
            key, bit = self.bits.popitem(last=False)
            if not bit:
                return key
            self.bits[key] = False


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


class Random(Policy):
    """Evicts any entry, each with the same probability.

    L. A. Belady, "A study of replacement algorithms for a virtual-storage computer", IBM Systems Journal 5(2), 1966.
    """

    name = "random"

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        (self.state,) = room.numbers
        self.held: list[int] = []

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.held.append(key)

    def left(self, key: int) -> None:
        place, last = self.held.index(key), self.held.pop()
        if last != key:
            self.held[place] = last

    def evict(self) -> int:
        self.state += STEP
        key = self.held[draw_below(mix(self.state), len(self.held))]
        self.left(key)
        return key
