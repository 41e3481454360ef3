"""What is counted of one look-up, of all together, or of a slice of time (docs/semantics.md, section 4)."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from vestigo.outcome.spans import Spans

CAUSES = tuple("first scope evicted aged idle clock dropped cleared restarted null refused forced loading".split())
"""Why a read was a miss, in the order of docs/semantics.md."""

Changes = Literal["nowhere", "in reads", "in writes"]
"""How a trace shows that values change: not at all; by the versions of reads alone, so that each is seen late; or by
writes and removes."""

_COUNTS = (
    "stale_hits joined_stale ghosts nulls_read nulls_hit loads background_loads batched evictions expirations drops "
    "clears refusals raced"
).split()


def _share(part: float, whole: float) -> float:
    return part / whole if whole else 0.0


@dataclass(frozen=True, kw_only=True)
class Measures:
    """Exact counts and sums, and the rates that follow from them. Times in whole ns, memory in bytes."""

    hits: int
    joined: int
    misses_by_cause: Mapping[str, int]
    stale_hits: int
    joined_stale: int
    ghosts: int
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
    bytes_hit: int
    bytes_missed: int
    entries_peak: int
    memory_peak: int
    held_byte_ns: int
    idle_byte_ns: int
    span_ns: int
    origin_time_ns: int
    read_time_ns: int
    longest_read_ns: int
    read_times: Spans
    uncached_time_ns: int
    """What all its reads would have waited without a cache."""
    answer_age_ns: int
    """How old the hits' answers were, added up: the time since what was given was loaded, or put there by a write."""
    oldest_answer_ns: int
    answer_ages: Spans
    stale_age_ns: int
    oldest_stale_ns: int
    stale_ages: Spans
    surge_second: int
    surge_minute: int
    changes: Changes
    """How the trace shows that values change."""

    @property
    def stale_known(self) -> bool:
        """Whether the trace shows changes: where it does not, no answer is known to be stale or fresh."""
        return self.changes != "nowhere"

    @property
    def misses(self) -> int:
        return sum(self.misses_by_cause.values())

    @property
    def reads(self) -> int:
        return self.hits + self.joined + self.misses

    @property
    def hit_rate(self) -> float:
        """Share of reads that the cache answered; like every rate, 0 if nothing was read."""
        return _share(self.hits, self.reads)

    @property
    def fresh_hit_rate(self) -> float:
        """Share of reads that the cache answered with the present truth."""
        return _share(self.hits - self.stale_hits, self.reads)

    @property
    def stale_rate(self) -> float:
        """Share of reads that the cache answered with something else than the present truth."""
        return _share(self.stale_hits, self.reads)

    @property
    def byte_hit_rate(self) -> float:
        """Share, in bytes, of what readers were given that came from the cache."""
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
        """Seconds that readers waited less than they would have without a cache; negative, where they waited longer."""
        return (self.uncached_time_ns - self.read_time_ns) / 1e9

    def read_time(self, percentile: float | None = None) -> float:
        """Seconds that a read took: the mean, or a percentile: exact where few spans are distinct, else within 1%."""
        if percentile is None:
            return _share(self.read_time_ns, self.reads) / 1e9
        return min(self.read_times.percentile(percentile), self.longest_read_ns) / 1e9

    def answer_age(self, percentile: float | None = None) -> float:
        """Seconds since the answer of a hit was loaded, or put there by a write: the mean, or a percentile."""
        if percentile is None:
            return _share(self.answer_age_ns, self.hits) / 1e9
        return min(self.answer_ages.percentile(percentile), self.oldest_answer_ns) / 1e9

    def stale_age(self, percentile: float | None = None) -> float:
        """Seconds since the truth had changed at a stale hit: the mean, or a percentile."""
        if percentile is None:
            return _share(self.stale_age_ns, self.stale_hits) / 1e9
        return min(self.stale_ages.percentile(percentile), self.oldest_stale_ns) / 1e9

    def to_dict(self) -> dict[str, Any]:
        """Times in seconds, memory in bytes, rates in [0, 1]. The key names are stable."""
        return {
            "reads": self.reads,
            "hits": self.hits,
            "joined": self.joined,
            "misses": {cause: self.misses_by_cause.get(cause, 0) for cause in CAUSES},
            **{name: getattr(self, name) for name in _COUNTS},
            "hit_rate": self.hit_rate,
            "fresh_hit_rate": self.fresh_hit_rate,
            "stale_rate": self.stale_rate,
            "byte_hit_rate": self.byte_hit_rate,
            "entries_peak": self.entries_peak,
            "memory_peak": self.memory_peak,
            "memory_mean": self.memory_mean,
            "idle_memory": self.idle_memory,
            "read_time": {
                "mean": self.read_time(),
                **{f"p{p}": self.read_time(p) for p in (50, 95, 99)},
                "max": self.longest_read_ns / 1e9,
            },
            "time_saved": self.time_saved,
            "origin_time": self.origin_time_ns / 1e9,
            "answer_age": {"mean": self.answer_age(), "p95": self.answer_age(95), "max": self.oldest_answer_ns / 1e9},
            "stale_known": self.stale_known,
            "stale_age": {"mean": self.stale_age(), "p95": self.stale_age(95), "max": self.oldest_stale_ns / 1e9},
            "surge": {"second": self.surge_second, "minute": self.surge_minute},
        }
