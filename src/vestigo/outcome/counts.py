"""``Counts``: what is counted exactly, and the rates that follow. `Measures` and `Summary` have it in common."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from vestigo.data import Data

LARGEST = {"joined": max}
"""How amounts of slices that follow each other become one: unless it says so, they are added up."""


def _causes_joined(each: Sequence[Mapping[str, int]]) -> dict[str, int]:
    return {cause: sum(one[cause] for one in each) for cause in each[0]}


def share(part: float, whole: float) -> float:
    return part / whole if whole else 0.0


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Counts(Data):
    """Counts of reads, of origin calls, and of what left the cache; memory in bytes."""

    hits: int
    joined: int
    misses_by_cause: Mapping[str, int] = field(metadata={"joined": _causes_joined})
    stale_hits: int
    joined_stale: int
    false_nulls: int
    nulls_read: int
    nulls_hit: int
    loads: int
    """Origin calls: misses - `batched` + `background_loads`."""
    background_loads: int
    """Origin calls that no reader waited for."""
    batched: int
    """Misses that shared the origin call of another one."""
    evictions: int
    expirations: int
    drops: int
    clears: int
    refusals: int
    raced: int
    entries_peak: int = field(metadata=LARGEST)
    memory_peak: int = field(metadata=LARGEST)
    surge_second: int = field(metadata=LARGEST)
    surge_minute: int = field(metadata=LARGEST)

    @property
    def misses(self) -> int:
        return sum(self.misses_by_cause.values())

    @property
    def reads(self) -> int:
        return self.hits + self.joined + self.misses

    @property
    def hit_rate(self) -> float:
        """Share of reads that the cache answered. Like every rate, it is 0 if nothing was read."""
        return share(self.hits, self.reads)

    @property
    def fresh_hit_rate(self) -> float:
        """Share of reads that the cache answered with the current truth."""
        return share(self.hits - self.stale_hits, self.reads)

    @property
    def stale_rate(self) -> float:
        """Share of reads that the cache answered with something other than the current truth."""
        return share(self.stale_hits, self.reads)
