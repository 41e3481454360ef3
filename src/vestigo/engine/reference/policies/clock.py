"""CLOCK."""

from collections import OrderedDict

from vestigo.rules.policy import Policy, Room


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
