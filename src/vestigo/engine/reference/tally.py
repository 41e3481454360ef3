"""What is counted of one look-up, of all, or of a slice of time."""

from collections import Counter
from dataclasses import fields
from typing import Any

from vestigo.outcome import CAUSES, Spans
from vestigo.outcome.counts import Counts
from vestigo.units import SECOND

_COUNTS = [*("bytes_hit", "bytes_missed"), *(one.name for one in fields(Counts) if not one.metadata)]

Stay = tuple[int, int, int, int]
"""(bytes, stored at, last use, left at) of an entry that has left."""


class Tally:
    """Counts from the time `begins` on. `entries` and `bytes` are what is held at that time."""

    def __init__(self, begins: int, entries: int = 0, memory: int = 0) -> None:
        self.begins = begins
        self.counts = Counter[str]()
        self.misses = Counter[str]()
        self.read_times: list[int] = []
        self.answer_ages: list[int] = []
        self.stale_ages: list[int] = []
        self.uncached_time = 0
        self.origin_time = 0
        self.loads_by_second = Counter[int]()
        self.loads_by_minute = Counter[int]()
        self.stays: list[Stay] = []
        self.entries = self.entries_peak = entries
        self.memory = self.memory_peak = memory

    def load(self, now: int, cost: int) -> None:
        self.counts["loads"] += 1
        self.origin_time += cost
        self.loads_by_second[now // SECOND] += 1
        self.loads_by_minute[now // (60 * SECOND)] += 1

    def hold(self, entries: int, memory: int) -> None:
        self.entries += entries
        self.memory += memory
        self.entries_peak = max(self.entries_peak, self.entries)
        self.memory_peak = max(self.memory_peak, self.memory)

    def measures(self, ends: int, stays: list[Stay]) -> dict[str, Any]:
        """The arguments of Measures. `stays` has all entries that were held at any time up to `ends`."""

        def within(begin: int, end: int) -> int:
            return max(0, min(end, ends) - max(begin, self.begins))

        return {
            **{name: self.counts[name] for name in _COUNTS},
            "misses_by_cause": {cause: self.misses[cause] for cause in CAUSES},
            "entries_peak": self.entries_peak,
            "memory_peak": self.memory_peak,
            "held_byte_ns": sum(size * within(stored, left) for size, stored, _, left in stays),
            "idle_byte_ns": sum(size * within(used, left) for size, _, used, left in stays),
            "span_ns": ends - self.begins,
            "origin_time_ns": self.origin_time,
            "read_time_ns": sum(self.read_times),
            "longest_read_ns": max(self.read_times, default=0),
            "read_times": Spans.of(self.read_times),
            "uncached_time_ns": self.uncached_time,
            "answer_age_ns": sum(self.answer_ages),
            "oldest_answer_ns": max(self.answer_ages, default=0),
            "answer_ages": Spans.of(self.answer_ages),
            "stale_age_ns": sum(self.stale_ages),
            "oldest_stale_ns": max(self.stale_ages, default=0),
            "stale_ages": Spans.of(self.stale_ages),
            "surge_second": max(self.loads_by_second.values(), default=0),
            "surge_minute": max(self.loads_by_minute.values(), default=0),
        }
