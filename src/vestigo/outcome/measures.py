"""What is counted of one look-up, of all together, or of a slice of time (docs/semantics.md, section 4)."""

from dataclasses import dataclass, field
from typing import Any, Literal

from vestigo.data import Told
from vestigo.measures import amount_of, asked_measure
from vestigo.outcome.counts import LARGEST, Counts, share
from vestigo.outcome.spans import Spans, percentile_of
from vestigo.outcome.summary import Summary
from vestigo.units import format_bytes, format_seconds, format_share

Changes = Literal["nowhere", "in reads", "in writes"]
"""How a trace shows that values change: not at all; by the versions of reads alone, so that each is seen late; or by
writes and removes."""


Fields = dict[str, Any]
"""The arguments of `Measures` by name."""


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Measures(Counts):
    """Exact counts and sums, and the rates that follow from them. Times in whole ns, memory in bytes."""

    bytes_hit: int
    bytes_missed: int
    held_byte_ns: int
    idle_byte_ns: int
    span_ns: int
    origin_time_ns: int
    read_time_ns: int
    longest_read_ns: int = field(metadata=LARGEST)
    read_times: Spans = field(metadata={"joined": Spans.joined})
    origin_wait_ns: int = 0
    """How long all origin calls waited for a place, in ns."""
    longest_wait_ns: int = field(default=0, metadata=LARGEST)
    origin_waits: Spans = field(default_factory=lambda: Spans.of(()), metadata={"joined": Spans.joined})
    """The wait of each origin call, where the origin serves only so many at a time."""
    uncached_time_ns: int
    """How long all reads would have waited without a cache, in ns."""
    answer_age_ns: int
    """The sum of the ages of all hits' answers: the time since the value was loaded, or put there by a write."""
    oldest_answer_ns: int = field(metadata=LARGEST)
    answer_ages: Spans = field(metadata={"joined": Spans.joined})
    stale_age_ns: int
    oldest_stale_ns: int = field(metadata=LARGEST)
    stale_ages: Spans = field(metadata={"joined": Spans.joined})
    changes: Changes = field(metadata={"joined": lambda each: each[0]})
    """How the trace shows that values change."""
    origin_stated: bool = field(default=False, metadata={"joined": any})
    """Whether anything is stated of the origin. If not, it never fails, and no call waits."""

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
    def byte_hit_rate(self) -> float:
        """Share of the bytes given to readers that came from the cache."""
        return share(self.bytes_hit, self.bytes_hit + self.bytes_missed)

    @property
    def memory_mean(self) -> float:
        """Bytes held, on average over time."""
        return share(self.held_byte_ns, self.span_ns)

    @property
    def idle_memory(self) -> float:
        """Share of byte-seconds that were spent on entries after their last hit."""
        return share(self.idle_byte_ns, self.held_byte_ns)

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
            return share(self.read_time_ns, self.reads) / 1e9
        return min(self.read_times.percentile(percentile_of(percentile)), self.longest_read_ns) / 1e9

    def origin_wait(self, percentile: float | None = None) -> float:
        """Seconds that an origin call waited for a place: the mean, a percentile, or the maximum."""
        if percentile is None:
            return share(self.origin_wait_ns, self.origin_waits.count) / 1e9
        return min(self.origin_waits.percentile(percentile_of(percentile)), self.longest_wait_ns) / 1e9

    def answer_age(self, percentile: float | None = None) -> float:
        """Seconds since the answer of a hit was loaded, or put there by a write: the mean, a percentile, or the
        maximum.
        """
        if percentile is None:
            return share(self.answer_age_ns, self.hits) / 1e9
        return min(self.answer_ages.percentile(percentile_of(percentile)), self.oldest_answer_ns) / 1e9

    def stale_age(self, percentile: float | None = None) -> float:
        """Seconds between the change of the truth and a stale hit: the mean, a percentile, or the maximum."""
        if percentile is None:
            return share(self.stale_age_ns, self.stale_hits) / 1e9
        return min(self.stale_ages.percentile(percentile_of(percentile)), self.oldest_stale_ns) / 1e9

    def to_dict(self) -> Told:
        """Plain data: times in seconds, memory in bytes, rates in [0, 1]. The key names are stable."""
        return Summary.of(self).to_dict()
