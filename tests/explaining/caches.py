"""A cache as people write them, to be driven. It orders entries by use or by arrival, and has lifetimes and some
habits.
"""

from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from vestigo import Clock
from vestigo.explaining.drive.functions import Load

Held = tuple[Any, float, float]
"""The value, when it was loaded, when it was used last."""
FOREVER = float("inf")


class Desk:
    """A cache with room for `most` entries of each look-up. Times are in ns of its clock."""

    def __init__(  # its habits
        self,
        clock: Clock | Callable[[], float],
        most: float = FOREVER,
        *,
        absolute: float = FOREVER,
        sliding: float = FOREVER,
        in_order_of: str = "use",
        nulls: bool = False,
        on_write: str = "leave",
        still_at_deadline: bool = False,
        collects: bool = False,
        shared: bool = False,
        removes_first: bool = False,
    ) -> None:
        self.now = clock.time_ns if isinstance(clock, Clock) else clock
        self.most, self.absolute, self.sliding = most, absolute, sliding
        self.in_order_of, self.nulls, self.on_write = in_order_of, nulls, on_write
        self.still_at_deadline, self.collects, self.shared = still_at_deadline, collects, shared
        self.removes_first = removes_first
        self.rooms: dict[str, OrderedDict[Any, Held]] = {}

    def room(self, lookup: str) -> "OrderedDict[Any, Held]":
        return self.rooms.setdefault("" if self.shared else lookup, OrderedDict())

    def lives(self, held: Held) -> bool:
        deadline = min(held[1] + self.absolute, held[2] + self.sliding)
        return self.now() <= deadline if self.still_at_deadline else self.now() < deadline

    def read(self, lookup: str, key: Any, load: Load) -> Any:
        room, name = self.room(lookup), (lookup, key)
        if self.removes_first:
            room.pop(name, None)
        held = room.get(name)
        if held is not None and self.lives(held):
            room[name] = (held[0], held[1], self.now())
            if self.in_order_of == "use":
                room.move_to_end(name)
            return held[0]
        if held is not None:
            del room[name]
        value = load()
        if value is not None or self.nulls:
            self.put(lookup, key, value)
        return value

    def put(self, lookup: str, key: Any, value: Any) -> None:
        room = self.room(lookup)
        room.pop((lookup, key), None)
        if self.collects:
            for name in [name for name, held in room.items() if not self.lives(held)]:
                del room[name]
        while len(room) >= self.most:
            room.popitem(last=False)
        room[lookup, key] = (value, self.now(), self.now())

    def write(self, lookup: str, key: Any, value: Any) -> None:
        if self.on_write == "replace" and (value is not None or self.nulls):
            self.put(lookup, key, value)
        elif self.on_write != "leave":
            self.room(lookup).pop((lookup, key), None)

    def remove(self, lookup: str, key: Any) -> None:
        self.write(lookup, key, None)

    def clear(self, lookup: str | None) -> None:
        for room in self.rooms.values():
            for name in [name for name in room if lookup in (None, name[0])]:
                del room[name]
