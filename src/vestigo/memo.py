"""``Memo``: keeps what was worked out of something that does not change."""

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

_T = TypeVar("_T")


class Memo:
    """Has a dictionary, `kept`, which disappears with it."""

    kept: dict[object, Any]

    def once(self, what: Hashable, make: Callable[[], _T]) -> _T:
        """What `make` returns. It is worked out once, and kept as long as this exists."""
        if what not in self.kept:
            self.kept[what] = make()
        found: _T = self.kept[what]
        return found
