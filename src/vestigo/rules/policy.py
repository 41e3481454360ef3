"""What an eviction policy is: the base class of the built-in ones, and of yours."""

from dataclasses import dataclass

LARGEST_ROOM = 2**61


@dataclass(frozen=True)
class Room:
    """The room that a policy divides. Its limit is in entries, or in bytes if only bytes are limited.

    `numbers` are worked out from the parameters of a built-in policy.

    >>> Room(100, by_bytes=False).weight(4096), Room(65536, by_bytes=True).weight(4096)
    (1, 4096)
    """

    capacity: int
    by_bytes: bool
    numbers: tuple[int, ...] = ()

    def weight(self, size: int) -> int:
        """What an entry of `size` bytes takes of the capacity."""
        return size if self.by_bytes else 1


class Policy:
    """Decides which entry is evicted. Derive your own class from it, and give that as `Rules(eviction=...)`.

    Keys are whole numbers, sizes are bytes with overhead, times are ns since the epoch. A policy hears only of entries,
    not of reads that found nothing or values that were not kept. When the whole pool is emptied, a new policy takes
    over. Your own policies run on the reference engine.

    >>> class Newest(Policy):
    ...     def __init__(self, room):
    ...         super().__init__(room)
    ...         self.held = []
    ...     def placed(self, key, size, cost, now):
    ...         self.held.append(key)
    ...     def left(self, key):
    ...         self.held.remove(key)
    ...     def evict(self):
    ...         return self.held.pop()
    """

    def __init__(self, room: Room) -> None:
        self.room = room

    def arriving(self, key: int, size: int) -> None:
        """A value is about to come in. Room for it is made next."""

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        """An entry came in. Its load took `cost` ns. None means that it was written, not loaded."""

    def hit(self, key: int, now: int) -> None:
        """An entry was used."""

    def left(self, key: int) -> None:
        """An entry left, but not by this policy's choice: it expired, was dropped, cleared, or replaced by a later
        value.
        """

    def evict(self) -> int:
        """Removes an entry and returns its key. It is called only while there is an entry."""
        raise NotImplementedError
