"""``FewTraces``: traces, and what has as many rows, that were made of one trace. Few are kept, because each takes much
memory.
"""

from collections import deque
from collections.abc import Callable, Hashable, Sized
from threading import Lock
from typing import Generic, TypeVar
from weakref import WeakValueDictionary

_T = TypeVar("_T", bound=Sized)
MOST_ROWS = 4_000_000
"""Of the traces that are kept together, unless it is one. A row takes about 70 bytes, with what is worked out of it."""


class FewTraces(Generic[_T]):
    """What was made, by name, as long as somebody has it. The last `most` are kept in any case, or one that is long."""

    def __init__(self, most: int) -> None:
        self._most, self._lock = most, Lock()
        self._every: WeakValueDictionary[Hashable, _T] = WeakValueDictionary()
        self._last: deque[_T] = deque()

    def get(self, name: Hashable, make: Callable[[], _T]) -> _T:
        """What has this name. If several threads ask for it, one makes it, and the others wait."""
        with self._lock:
            found = self._every.get(name)
            if found is None:
                self._make_room()
                found = self._every[name] = make()
                self._last.append(found)
            return found

    def _make_room(self) -> None:
        """For one that is as long as the last one."""
        kept = self._last
        while kept and (len(kept) == self._most or len(kept[-1]) * (len(kept) + 1) > MOST_ROWS):
            kept.popleft()
