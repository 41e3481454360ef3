"""FIFO, LRU and MRU: entries stand in one order, and one end goes first."""

from collections import OrderedDict

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
