"""Ladders: amounts that people write, coarse steps first and finer ones between them."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from math import inf
from typing import NamedTuple

from vestigo.units import Duration, format_exact_bytes, parse_bytes

FINEST = 2
"""The level of the finest steps. Those of level 0 are the coarsest."""
_DURATIONS = (
    "10ms 100ms 1s 5s 30s 2m 10m 1h 4h 1d 7d",
    "50ms 500ms 2s 10s 1m 5m 30m 2h 12h 2d",
    "20ms 200ms 3s 15s 20s 45s 90s 3m 4m 7m 15m 20m 45m 90m 3h 6h 8h 18h 3d 5d",
)
_OF_TEN = ((1, 5), (2,), (3, 4, 6, 8))
_OF_1024 = (
    (1, 4, 16, 64, 256),
    (2, 8, 32, 128, 512),
    (3, 5, 6, 7, 10, 12, 14, 20, 24, 28, 40, 48, 56, 80, 96, 112, 160, 192, 224, 320, 384, 448),
)


class Step(NamedTuple):
    """A value as a plan file has it, its amount, and the level of the ladder on which it first stands."""

    value: object
    amount: float
    level: int = 0


class Ladder(tuple[Step, ...]):
    """Steps in order of their amounts."""

    __slots__ = ()

    @classmethod
    def of(cls, steps: Iterable[Step]) -> "Ladder":
        return cls(sorted(steps, key=lambda step: step.amount))

    def level(self, level: int) -> list[Step]:
        """The steps of a level, those of the coarser levels included."""
        return [step for step in self if step.level <= level]

    def beside(self, amount: float, level: int) -> list[Step]:
        """The next smaller step of a level and the next larger one, as far as there are such."""
        steps = self.level(level)
        amounts = [step.amount for step in steps]
        smaller, larger = bisect_left(amounts, amount) - 1, bisect_right(amounts, amount)
        return [steps[place] for place in (smaller, larger) if 0 <= place < len(steps)]

    def between(self, least: float, most: float) -> "Ladder":
        """The steps from the last one below `least` to the first one from `most` on."""
        below = [step.amount for step in self if step.amount < least]
        above = [step.amount for step in self if step.amount >= most]
        low, high = max(below, default=0.0), min(above, default=inf)
        return Ladder(step for step in self if low <= step.amount <= high)


def _durations() -> Ladder:
    texts = ((level, text) for level, line in enumerate(_DURATIONS) for text in line.split())
    return Ladder.of(Step(text, float(Duration.parse(text)), level) for level, text in texts)


def _entries() -> Ladder:
    return Ladder.of(
        Step(times * 10**power, float(times * 10**power), level)
        for power in range(10)
        for level, each in enumerate(_OF_TEN)
        for times in each
    )


def _sizes() -> Ladder:
    sizes = (
        (level, times * parse_bytes(f"1 {unit}"))
        for unit in ("KiB", "MiB", "GiB")
        for level, each in enumerate(_OF_1024)
        for times in each
    )
    return Ladder.of(Step(format_exact_bytes(size), float(size), level) for level, size in sizes)


DURATIONS, ENTRIES, SIZES = _durations(), _entries(), _sizes()
