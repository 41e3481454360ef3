"""The books: one tally for each look-up, one for all together, one for each slice of time."""

from bisect import bisect_left, bisect_right
from collections import Counter
from dataclasses import fields

from vestigo.engine.changes import together
from vestigo.engine.reference.origin import Call
from vestigo.outcome import CAUSES, Changes, Measures, Slice, Slices, Spans
from vestigo.outcome.counts import Counts
from vestigo.outcome.measures import Fields
from vestigo.prepared.counting import Slicing
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
        self.origin_waits: list[int] = []
        self.waiting_peak = 0
        self.loads_by_second = Counter[int]()
        self.loads_by_minute = Counter[int]()
        self.stays: list[Stay] = []
        self.entries = self.entries_peak = entries
        self.memory = self.memory_peak = memory

    def load(self, now: int, call: Call, waits: bool) -> None:
        self.counts["loads"] += 1
        self.counts["failed_loads"] += call.fails
        self.origin_time += call.takes
        if waits:
            self.origin_waits.append(call.begins - now)
            self.waiting_peak = max(self.waiting_peak, call.waiting)
        self.loads_by_second[now // SECOND] += 1
        self.loads_by_minute[now // (60 * SECOND)] += 1

    def hold(self, entries: int, memory: int) -> None:
        self.entries += entries
        self.memory += memory
        self.entries_peak = max(self.entries_peak, self.entries)
        self.memory_peak = max(self.memory_peak, self.memory)

    def measures(self, ends: int, stays: list[Stay]) -> Fields:
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
            "origin_wait_ns": sum(self.origin_waits),
            "longest_wait_ns": max(self.origin_waits, default=0),
            "origin_waits": Spans.of(self.origin_waits),
            "waiting_peak": self.waiting_peak,
            "surge_second": max(self.loads_by_second.values(), default=0),
            "surge_minute": max(self.loads_by_minute.values(), default=0),
        }


class Ledger:
    def __init__(
        self,
        lookups: tuple[str, ...],
        slicing: Slicing,
        shown: tuple[Changes, ...] = (),
        origin_stated: tuple[bool, ...] = (),
    ) -> None:
        self.names = lookups
        self.shown = shown
        self.origin_stated = origin_stated
        self.slicing = slicing
        self.stays: list[list[Stay]] = [[] for _ in lookups]
        self.by_lookup = [Tally(0) for _ in lookups]
        self.total = Tally(0)
        self.slices = [Tally(0)]
        self.counting = False

    def tallies(self, lookup: int) -> tuple[Tally, Tally, Tally]:
        """The tallies in which an event of this look-up counts."""
        return self.by_lookup[lookup], self.total, self.slices[-1]

    def count(self, lookup: int, name: str, number: int = 1) -> None:
        for tally in self.tallies(lookup):
            tally.counts[name] += number

    def miss(self, lookup: int, cause: str) -> None:
        for tally in self.tallies(lookup):
            tally.misses[cause] += 1

    def load(self, lookup: int, now: int, call: Call, waits: bool) -> None:
        """An origin call comes. `waits` says whether calls of the look-up may have to wait."""
        for tally in self.tallies(lookup):
            tally.load(now, call, waits)

    def lengthen(self, lookup: int, cost: int) -> None:
        """An origin call under way takes longer."""
        for tally in self.tallies(lookup):
            tally.origin_time += cost

    def wait(self, lookup: int, span: int) -> None:
        for tally in self.tallies(lookup):
            tally.read_times.append(span)

    def uncached(self, lookup: int, cost: int) -> None:
        """Counts how long a read would have waited without a cache."""
        for tally in self.tallies(lookup):
            tally.uncached_time += cost

    def answer(self, lookup: int, age: int) -> None:
        """Counts a hit, whose answer has this age."""
        for tally in self.tallies(lookup):
            tally.answer_ages.append(age)

    def stale_hit(self, lookup: int, age: int) -> None:
        self.count(lookup, "stale_hits")
        for tally in self.tallies(lookup):
            tally.stale_ages.append(age)

    def placed(self, lookup: int, size: int) -> None:
        for tally in self.tallies(lookup):
            tally.hold(1, size)

    def left(self, lookup: int, stay: Stay) -> None:
        for tally in self.tallies(lookup):
            tally.hold(-1, -stay[0])
        self.stays[lookup].append(stay)

    def count_from(self, now: int) -> None:
        """The warm-up is over. Forgets what was counted, and keeps what is held."""
        self.counting = True
        self.by_lookup = [Tally(now, tally.entries, tally.memory) for tally in self.by_lookup]
        self.total = Tally(now, self.total.entries, self.total.memory)
        self.slices = [Tally(now, self.total.entries, self.total.memory)]

    def close_slices(self, now: int) -> None:
        """Closes the slices that end at or before `now`."""
        while self.counting and len(self.slices) < self.slicing.most and now >= self._slice_end():
            self.slices.append(Tally(self._slice_end(), self.total.entries, self.total.memory))

    def _slice_end(self) -> int:
        return self.slicing.origin_ns + self.slicing.width_ns * len(self.slices)

    def close(self, now: int) -> tuple[Fields, dict[str, Measures], Slices]:
        """The measures of all together, of each look-up, and of each slice."""
        every = [stay for stays in self.stays for stay in stays]
        overlapping = self._overlapping(every)
        lookups = {
            name: Measures(**tally.measures(now, stays), changes=shown, origin_stated=stated)
            for name, tally, stays, shown, stated in zip(
                self.names, self.by_lookup, self.stays, self.shown, self.origin_stated, strict=True
            )
        }
        everywhere: Fields = {"changes": together(self.shown), "origin_stated": any(self.origin_stated)}
        if not self.counting:
            return self.total.measures(0, []) | everywhere, lookups, Slices.of([])
        ends = [tally.begins for tally in self.slices[1:]] + [now]
        slices = Slices.of(
            Slice(
                **tally.measures(end, stays),
                **everywhere,
                begins_ns=tally.begins,
                ends_ns=end,
            )
            for tally, end, stays in zip(self.slices, ends, overlapping, strict=True)
        )
        return self.total.measures(now, every) | everywhere, lookups, slices

    def _overlapping(self, stays: list[Stay]) -> list[list[Stay]]:
        """For each slice, the stays that overlap it."""
        begins = [tally.begins for tally in self.slices]
        by_slice: list[list[Stay]] = [[] for _ in begins]
        for stay in stays:
            _, stored, _, left = stay
            for place in range(max(bisect_right(begins, stored) - 1, 0), bisect_left(begins, left)):
                by_slice[place].append(stay)
        return by_slice
