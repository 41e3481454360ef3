"""What falls due: docs/semantics.md, section 3, step 1."""

import heapq
from collections.abc import Sequence
from enum import IntEnum
from itertools import count
from typing import Any, NamedTuple


class Kind(IntEnum):
    """What can fall due. Of things due at the same moment, the kind that is listed first comes first."""

    CLEAR = 0
    COLLECT = 1
    LOAD = 2
    MESSAGE = 3


class Due(NamedTuple):
    at: int
    kind: Kind
    order: object
    """Of one kind."""
    added: int
    what: Any


class Agenda:
    def __init__(self, clears: Sequence[tuple[int, int]]) -> None:
        """`clears`: (when, which group)."""
        self.added = count()
        self.due = [Due(at, Kind.CLEAR, group, next(self.added), group) for at, group in clears]
        heapq.heapify(self.due)

    def add(self, at: int, kind: Kind, order: object, what: object) -> None:
        heapq.heappush(self.due, Due(at, kind, order, next(self.added), what))

    def next(self, now: int) -> Due | None:
        """Removes and returns what is due first, at or before `now`."""
        return heapq.heappop(self.due) if self.due and self.due[0].at <= now else None

    def also_cleared(self, due: Due) -> list[int]:
        """Removes and returns the other groups that are cleared at the same moment."""
        groups = []
        while self.due and (self.due[0].at, self.due[0].kind) == (due.at, Kind.CLEAR):
            groups.append(heapq.heappop(self.due).what)
        return groups
