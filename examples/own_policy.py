"""An eviction policy of one's own, on a node of the demo: of the two entries unused for longest, the younger one goes.

A policy is a class with five methods. Only `evict` is required. It runs on the reference engine, in plain Python, and
is compared here with the ones that are built in.
"""

import tempfile

from vestigo import Policy, Room, Rules, read_trace, replay, shape
from vestigo.demo import files


class SecondOldest(Policy):
    """Evicts the second oldest entry, because the oldest may have stayed for a reason."""

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.order: dict[int, int] = {}

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.order[key] = now

    def hit(self, key: int, now: int) -> None:
        self.order[key] = self.order.pop(key)

    def left(self, key: int) -> None:
        del self.order[key]

    def evict(self) -> int:
        key = list(self.order)[:2][-1]
        del self.order[key]
        return key


with tempfile.TemporaryDirectory() as folder:
    path, _ = files.write_demo(folder)
    trace = shape.only(read_trace(path), lookups=["berth"], nodes=["quay-1"])

for eviction in (SecondOldest, "lru", "fifo", "belady"):
    rules = Rules(max_entries=20, eviction=eviction)
    print(f"{rules.eviction}: {replay(trace, rules, engine='reference').hit_rate:.1%}")
