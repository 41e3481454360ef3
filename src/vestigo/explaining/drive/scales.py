"""How much memory a driven process holds, looked at from time to time (Linux: /proc)."""

import ctypes
import os
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from vestigo.trace.trace import Longs

_PROC = Path("/proc")
_LOOKS = 100
"""How often the memory of a process is looked at in a drive, about."""


@dataclass(frozen=True, eq=False)
class Weights:
    """The memory of a process at some moments of a drive."""

    events: Longs
    """How many events were driven by then, ascending."""
    bytes: Longs
    by_itself: bool = False
    """Whether the cache said what it holds, without garbage. Otherwise it is the memory that the process has to itself,
    and never gives back.
    """


class Scales:
    """Weighs a process with all that it has started, or what it says of itself."""

    def __init__(self, process: int, events: int) -> None:
        self._process, self._apart, self._due = process, max(events // _LOOKS, 1), 0
        self._give_back = _giving_back() if process == os.getpid() else None
        self._looks: list[tuple[int, int]] = []
        self._said = 0

    def is_due(self, events: int) -> bool:
        """Whether it is time to look, when so many events were driven."""
        return events >= self._due

    def weigh(self, events: int, said: int | None = None) -> None:
        """Looks. `said` is what the cache says that it holds."""
        self._due = events + self._apart
        if self._give_back is not None:
            self._give_back(0)
        found = private_bytes(self._process) if said is None else said
        if found is not None:
            self._looks.append((events, found))
            self._said += said is not None

    @property
    def weights(self) -> Weights:
        """All looks."""
        looks = np.array(self._looks, np.int64).reshape(-1, 2)
        return Weights(looks[:, 0], looks[:, 1], 0 < self._said == len(looks))


def _giving_back() -> Callable[[int], object] | None:
    """The call of the C library that gives back free memory. Without it, entries would lie unseen in what this process
    has used before.
    """
    return getattr(ctypes.CDLL(None), "malloc_trim", None) if sys.platform == "linux" else None


def private_bytes(process: int) -> int | None:
    """The memory that a process and those that it has started have to themselves. None where nobody can tell.

    >>> private_bytes(-1) is None
    True
    """
    found = [one for each in _family(process) if (one := _anonymous(_PROC / str(each))) is not None]
    return sum(found) if found else None


def _family(process: int) -> list[int]:
    """A process and its children, and theirs."""
    every = [process]
    for one in every:
        try:
            lists = [task.read_text() for task in (_PROC / str(one) / "task").glob("*/children")]
        except OSError:  # it has ended
            continue
        every += [int(child) for text in lists for child in text.split()]
    return every


def _anonymous(folder: Path) -> int | None:
    """The bytes of a process that lie in no file. The sum over all mappings is exact; a count, which the system keeps
    anyway, lags behind by some pages.
    """
    try:
        lines = (folder / "smaps_rollup").read_text().splitlines()
        return next(int(line.split()[1]) << 10 for line in lines if line.startswith("Anonymous:"))
    except (OSError, StopIteration):
        pass
    try:
        _, resident, shared, *_ = map(int, (folder / "statm").read_text().split())
    except (OSError, ValueError):
        return None
    return (resident - shared) * os.sysconf("SC_PAGE_SIZE")
