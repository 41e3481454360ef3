"""Keys in an order, oldest first, with the room that each takes."""

from collections import OrderedDict


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
