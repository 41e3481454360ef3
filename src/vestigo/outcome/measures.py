"""What is counted of one look-up, of all together, or of a slice of time (docs/semantics.md, section 4)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, Literal

from vestigo.data import Data
from vestigo.measures import MEASURES, amount_of, asked_measure
from vestigo.outcome.causes import CAUSES
from vestigo.outcome.spans import Spans, percentile_of
from vestigo.units import format_bytes, format_seconds, format_share

Changes = Literal["nowhere", "in reads", "in writes"]
"""How a trace shows that values change: not at all; by the versions of reads alone, so that each is seen late; or by
writes and removes."""

_COUNT = {"is_count": True}
_LARGEST = {"joined": max}
"""How amounts of slices that follow each other become one: unless it says so, they are added up."""


_PLACES = {
    name: place
    for place, name in enumerate(
        "reads hits joined misses stale_hits joined_stale false_nulls nulls_read nulls_hit loads background_loads "
        "batched evictions expirations drops clears refusals raced hit_rate fresh_hit_rate stale_rate byte_hit_rate "
        "entries_peak memory_peak memory_mean idle_memory read_time time_saved origin_time answer_age stale_known "
        "stale_age surge".split()
    )
}
"""The order in which `to_dict` has always had its keys; new ones come after."""


def _causes_joined(each: Sequence[Mapping[str, int]]) -> dict[str, int]:
    return {cause: sum(one[cause] for one in each) for cause in each[0]}


def _share(part: float, whole: float) -> float:
    return part / whole if whole else 0.0


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Measures(Data):
    """Exact counts and sums, and the rates that follow from them. Times in whole ns, memory in bytes."""

    hits: int
    joined: int
    misses_by_cause: Mapping[str, int] = field(metadata={"joined": _causes_joined})
    stale_hits: int = field(metadata=_COUNT)
    joined_stale: int = field(metadata=_COUNT)
    false_nulls: int = field(metadata=_COUNT)
    nulls_read: int = field(metadata=_COUNT)
    nulls_hit: int = field(metadata=_COUNT)
    loads: int = field(metadata=_COUNT)
    """Origin calls: misses - `batched` + `background_loads`."""
    background_loads: int = field(metadata=_COUNT)
    """Origin calls that no reader waited for."""
    batched: int = field(metadata=_COUNT)
    """Misses that shared the origin call of another one."""
    evictions: int = field(metadata=_COUNT)
    expirations: int = field(metadata=_COUNT)
    drops: int = field(metadata=_COUNT)
    clears: int = field(metadata=_COUNT)
    refusals: int = field(metadata=_COUNT)
    raced: int = field(metadata=_COUNT)
    bytes_hit: int
    bytes_missed: int
    entries_peak: int = field(metadata=_LARGEST)
    memory_peak: int = field(metadata=_LARGEST)
    held_byte_ns: int
    idle_byte_ns: int
    span_ns: int
    origin_time_ns: int
    read_time_ns: int
    longest_read_ns: int = field(metadata=_LARGEST)
    read_times: Spans = field(metadata={"joined": Spans.joined})
    uncached_time_ns: int
    """How long all reads would have waited without a cache, in ns."""
    answer_age_ns: int
    """The sum of the ages of all hits' answers: the time since the value was loaded, or put there by a write."""
    oldest_answer_ns: int = field(metadata=_LARGEST)
    answer_ages: Spans = field(metadata={"joined": Spans.joined})
    stale_age_ns: int
    oldest_stale_ns: int = field(metadata=_LARGEST)
    stale_ages: Spans = field(metadata={"joined": Spans.joined})
    surge_second: int = field(metadata=_LARGEST)
    surge_minute: int = field(metadata=_LARGEST)
    changes: Changes = field(metadata={"joined": lambda each: each[0]})
    """How the trace shows that values change."""

    def __repr__(self) -> str:
        return f"<{type(self).__name__}: {self.in_words}>"

    @property
    def in_words(self) -> str:
        """The most important numbers, in one line."""
        return (
            f"{self.reads:,} reads, hit rate {format_share(self.hit_rate)}, "
            f"stale {format_share(self.stale_rate) if self.stale_known else 'unknown'}, {self.loads:,} origin calls, "
            f"p95 {format_seconds(self.read_time(95))}, memory peak {format_bytes(self.memory_peak)}"
        )

    @property
    def stale_known(self) -> bool:
        """Whether the trace shows changes. If it does not, no answer is known to be stale or fresh."""
        return self.changes != "nowhere"

    @property
    def misses(self) -> int:
        return sum(self.misses_by_cause.values())

    @property
    def reads(self) -> int:
        return self.hits + self.joined + self.misses

    @property
    def hit_rate(self) -> float:
        """Share of reads that the cache answered. Like every rate, it is 0 if nothing was read."""
        return _share(self.hits, self.reads)

    @property
    def fresh_hit_rate(self) -> float:
        """Share of reads that the cache answered with the current truth."""
        return _share(self.hits - self.stale_hits, self.reads)

    @property
    def stale_rate(self) -> float:
        """Share of reads that the cache answered with something other than the current truth."""
        return _share(self.stale_hits, self.reads)

    @property
    def byte_hit_rate(self) -> float:
        """Share of the bytes given to readers that came from the cache."""
        return _share(self.bytes_hit, self.bytes_hit + self.bytes_missed)

    @property
    def memory_mean(self) -> float:
        """Bytes held, on average over time."""
        return _share(self.held_byte_ns, self.span_ns)

    @property
    def idle_memory(self) -> float:
        """Share of byte-seconds that were spent on entries after their last hit."""
        return _share(self.idle_byte_ns, self.held_byte_ns)

    @property
    def time_saved(self) -> float:
        """How many seconds less readers waited than without a cache. Negative if they waited longer."""
        return (self.uncached_time_ns - self.read_time_ns) / 1e9

    def measure(self, name: str) -> float:
        """One of `vestigo.measures.MEASURES` by its key, such as ``read_time.p95``. Raises UnknownName."""
        asked_measure(name)
        return float(amount_of(self, name))

    def read_time(self, percentile: float | None = None) -> float:
        """Seconds that a read took: the mean, a percentile, or the maximum. Percentiles are exact if few times are
        distinct, and within 1 % otherwise.
        """
        if percentile is None:
            return _share(self.read_time_ns, self.reads) / 1e9
        return min(self.read_times.percentile(percentile_of(percentile)), self.longest_read_ns) / 1e9

    def answer_age(self, percentile: float | None = None) -> float:
        """Seconds since the answer of a hit was loaded, or put there by a write: the mean, a percentile, or the
        maximum.
        """
        if percentile is None:
            return _share(self.answer_age_ns, self.hits) / 1e9
        return min(self.answer_ages.percentile(percentile_of(percentile)), self.oldest_answer_ns) / 1e9

    def stale_age(self, percentile: float | None = None) -> float:
        """Seconds between the change of the truth and a stale hit: the mean, a percentile, or the maximum."""
        if percentile is None:
            return _share(self.stale_age_ns, self.stale_hits) / 1e9
        return min(self.stale_ages.percentile(percentile_of(percentile)), self.oldest_stale_ns) / 1e9

    def to_dict(self) -> dict[str, Any]:
        """Plain data: times in seconds, memory in bytes, rates in [0, 1]. The key names are stable."""
        measures: dict[str, Any] = {
            "reads": self.reads,
            "hits": self.hits,
            "joined": self.joined,
            "misses": {cause: self.misses_by_cause.get(cause, 0) for cause in CAUSES},
            **{one.name: getattr(self, one.name) for one in fields(Measures) if one.metadata.get("is_count")},
            "entries_peak": self.entries_peak,
            "idle_memory": self.idle_memory,
            "stale_known": self.stale_known,
        }
        for name in MEASURES:
            heading, dot, key = name.partition(".")
            if dot:
                measures.setdefault(heading, {})[key] = amount_of(self, name)
            else:
                measures[name] = amount_of(self, name)
        return dict(sorted(measures.items(), key=lambda one: _PLACES.get(one[0], len(_PLACES))))
