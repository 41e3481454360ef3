"""What is counted exactly, the causes of misses, and the rates that follow."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from vestigo.data import Data


class Cause(NamedTuple):
    """The name of a cause for people, and what it means."""

    label: str
    meaning: str


WORDS: Mapping[str, Cause] = {
    "first": Cause("first read", "The key was never loaded before. Only a preload could help."),
    "elsewhere": Cause("loaded elsewhere", "The key was loaded, but on another node or in another scope."),
    "evicted": Cause("size limit", "The entry had to make room for another one."),
    "aged": Cause("absolute expiry", "The absolute lifetime ended, or that of a null."),
    "idle": Cause("sliding expiry", "Nobody read the entry for as long as the sliding lifetime."),
    "fixed_time": Cause("fixed times", "A fixed time of day, or a fixed moment, passed."),
    "dropped": Cause("drops", "A write removed the entry, or the program took it out of its cache."),
    "cleared": Cause("clears", "The look-up was cleared, by hand or on schedule."),
    "restarted": Cause("restarts", "The process restarted and lost what it held."),
    "null": Cause("nulls not kept", "The origin had nothing the last time, and the rules do not keep that."),
    "refused": Cause("refused values", "The rules did not accept the value, or it was too large."),
    "forced": Cause("forced reads", "The caller asked for a fresh value, or removed the entry first."),
    "loading": Cause("still loading", "Another read was loading the key at that time, and readers do not wait."),
}
"""By the name that JSON and Python have for it."""

CAUSES = tuple(WORDS)


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
    failed: int = 0
    """Reads that got no answer, because the origin was away or they gave up."""
    misses_by_cause: Mapping[str, int] = field(metadata={"joined": _causes_joined})
    stale_hits: int
    joined_stale: int
    false_nulls: int
    nulls_read: int
    nulls_hit: int
    loads: int
    """Origin calls: those of misses and failed reads, less what they share, and `background_loads`."""
    background_loads: int
    """Origin calls that no reader waited for."""
    batched: int
    """Misses that shared the origin call of another one."""
    failed_loads: int = 0
    """Origin calls that failed."""
    served_on_failure: int = 0
    """Hits on an expired entry, by readers that would have failed."""
    slow_reads: int = 0
    """Reads that were answered later than the `slow` of their origin."""
    evictions: int
    expirations: int
    drops: int
    clears: int
    refusals: int
    raced: int
    entries_peak: int = field(metadata=LARGEST)
    memory_peak: int = field(metadata=LARGEST)
    waiting_peak: int = field(default=0, metadata=LARGEST)
    """The most calls that waited at once for a place at the origin."""
    surge_second: int = field(metadata=LARGEST)
    surge_minute: int = field(metadata=LARGEST)

    @property
    def misses(self) -> int:
        return sum(self.misses_by_cause.values())

    @property
    def reads(self) -> int:
        return self.hits + self.joined + self.misses + self.failed

    @property
    def failed_rate(self) -> float:
        """Share of reads that got no answer."""
        return share(self.failed, self.reads)

    @property
    def slow_rate(self) -> float:
        """Share of reads that took longer than the `slow` of their origin."""
        return share(self.slow_reads, self.reads)

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
