"""How one bad moment goes with some settings: plain data."""

from collections.abc import Sequence
from dataclasses import dataclass

from vestigo.data import Data
from vestigo.units import SECOND


@dataclass(frozen=True, eq=False, repr=False)
class Course(Data):
    """What a replay gives over time, a value for each stretch."""

    begins_ns: Sequence[int]
    read_p95: Sequence[float]
    """The p95 of read time, in seconds."""
    waiting: Sequence[int]
    """The most calls that waited for the origin."""
    calls: Sequence[int]
    """Origin calls that began."""
    failed: Sequence[int]
    """Reads that got no answer."""


@dataclass(frozen=True, eq=False, repr=False)
class Rehearsed(Data):
    """How one bad moment goes with some settings, from the moment on."""

    moment: str
    """Its name, such as ``restart``. Empty for the same time without a bad moment."""
    words: str
    settings: str
    reads: int
    busiest_second: int
    """Origin calls in the busiest second."""
    waiting: int
    """The most calls that waited at once."""
    failed: int
    """Reads that got no answer."""
    slow: int
    """Reads that took longer than the limit."""
    recovery_ns: int | None
    """How long it takes until readers are as well off as without the moment. None if it takes longer than is looked
    at.
    """
    course: Course

    TOLD = ("moment", "settings", "reads", "busiest_second", "waiting", "failed", "slow", "recovery")

    @property
    def recovery(self) -> float | None:
        """In seconds."""
        return None if self.recovery_ns is None else self.recovery_ns / SECOND

    @property
    def suffering(self) -> tuple[int, float]:
        """How bad it is: the reads that fail or are slow, then how long it takes. Less is better."""
        return self.failed + self.slow, float("inf") if self.recovery is None else self.recovery
