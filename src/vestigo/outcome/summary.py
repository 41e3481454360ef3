"""``Summary``: what is kept of measures where there are many: the counts and rates, and of times the mean, some
percentiles and the longest.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields
from functools import cache
from types import MappingProxyType
from typing import Any

from vestigo.data import ByName, Told
from vestigo.errors import UnknownName, raise_for_unknown
from vestigo.measures import MEASURES, amount_of
from vestigo.outcome.counts import CAUSES, Counts
from vestigo.outcome.spans import percentile_of

_SPANS = ("read_time", "answer_age", "stale_age", "origin_wait")
_SURGES = ("surge_second", "surge_minute")
_LATER = ("failed", "failed_loads", "served_on_failure", "slow_reads", "waiting_peak", "origin_stated")
"""What an earlier version did not count. There was no origin that fails, or lets calls wait."""
_KEYS = (
    "reads hits joined misses stale_hits joined_stale false_nulls nulls_read nulls_hit loads background_loads "
    "batched evictions expirations drops clears refusals raced hit_rate fresh_hit_rate stale_rate byte_hit_rate "
    "entries_peak memory_peak memory_mean idle_memory read_time time_saved origin_time answer_age stale_known "
    "stale_age surge failed failed_loads served_on_failure slow_reads failed_rate slow_rate waiting_peak origin_wait "
    "origin_stated"
).split()
"""The keys of `to_dict`, in the order that they have always had."""


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Summary(Counts):
    """Counts and rates, times in seconds, memory in bytes. The names are those of `Measures`."""

    byte_hit_rate: float
    memory_mean: float
    idle_memory: float
    time_saved: float
    origin_time: float
    spans: Mapping[str, Mapping[str, float]]
    """By measure of time, the mean, the percentiles that are kept, and the longest, in seconds."""
    stale_known: bool
    origin_stated: bool = False
    lookups: Mapping[str, "Summary"] = field(default_factory=dict)
    """Empty for a look-up, and for a part of the time."""
    whose: str | None = None
    """Whose cache was replayed, as `Outcome.whose` says it. None for a look-up, and for a part of the time."""
    assumptions: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "lookups", ByName("look-up", self.lookups))

    @classmethod
    def of(cls, measures: Counts) -> "Summary":
        """The summary of `Measures`. That of an `Outcome` has one of each look-up."""
        taken = {name: amount_of(measures, name) if name in MEASURES else getattr(measures, name) for name in _PLAIN}
        return Summary(
            **taken,
            misses_by_cause={cause: measures.misses_by_cause.get(cause, 0) for cause in CAUSES},
            spans={name: {key: amount_of(measures, f"{name}.{key}") for key in _kept_of(name)} for name in _SPANS},
            lookups={name: cls.of(one) for name, one in getattr(measures, "lookups", {}).items()},
            whose=getattr(measures, "whose", None),
            assumptions=getattr(measures, "assumptions", ()),
        )

    def amount(self, name: str) -> float:
        """A measure or a count, by its key in `to_dict`: ``read_time.p95``, ``misses.evicted``. Raises UnknownName."""
        heading, dot, key = str(name).partition(".")
        whole = _TOLD[heading](self) if heading in _TOLD else getattr(self, heading, None)
        found: Any = whole.get(key) if isinstance(whole, dict) else None if dot else whole
        if not isinstance(found, (int, float)):
            raise_for_unknown("measure", name, MEASURES)
        return float(found)

    def read_time(self, percentile: float | None = None) -> float:
        """Seconds, like `Measures.read_time`. Raises UnknownName for a percentile that is not kept."""
        return self._span("read_time", percentile)

    def origin_wait(self, percentile: float | None = None) -> float:
        """Seconds, like `Measures.origin_wait`. Raises UnknownName for a percentile that is not kept."""
        return self._span("origin_wait", percentile)

    def answer_age(self, percentile: float | None = None) -> float:
        """Seconds, like `Measures.answer_age`. Raises UnknownName for a percentile that is not kept."""
        return self._span("answer_age", percentile)

    def stale_age(self, percentile: float | None = None) -> float:
        """Seconds, like `Measures.stale_age`. Raises UnknownName for a percentile that is not kept."""
        return self._span("stale_age", percentile)

    def _span(self, name: str, percentile: float | None) -> float:
        key = "mean" if percentile is None else "max" if percentile_of(percentile) == 100 else f"p{percentile:g}"
        known = self.spans[name]
        if key not in known:
            kept = ", ".join(known)
            raise UnknownName(
                f"{name}: {key} is not among {kept}, which are kept of a candidate; replay its plan for it"
            )
        return known[key]

    def to_dict(self) -> Told:
        """Plain data: times in seconds, memory in bytes, rates in [0, 1]. The key names are stable."""
        fields = {key: _TOLD[key](self) if key in _TOLD else getattr(self, key) for key in _KEYS}
        if self.whose is not None:
            fields |= {"whose": self.whose, "assumptions": list(self.assumptions)}
            fields["lookups"] = {name: one.to_dict() for name, one in self.lookups.items()}
        return fields

    @classmethod
    def from_dict(cls, fields: Told) -> "Summary":
        """The summary from what `to_dict` gives. Raises KeyError where something is missing."""
        return Summary(
            **{name: fields[name] for name in _PLAIN if name not in (*_SURGES, *_LATER) or name in fields},
            **{name: fields["surge"][name.removeprefix("surge_")] for name in _SURGES},
            misses_by_cause=fields["misses"],
            spans={name: fields.get(name) or dict.fromkeys(_kept_of(name), 0.0) for name in _SPANS},
            lookups={name: Summary.from_dict(one) for name, one in fields.get("lookups", {}).items()},
            whose=fields.get("whose"),
            assumptions=tuple(fields.get("assumptions", ())),
        )


_NESTED = {"misses_by_cause", "spans", "lookups", "whose", "assumptions"}
_PLAIN = [one.name for one in fields(Summary) if one.name not in _NESTED]
"""The fields that are a number, under the name that `Measures` has for it."""
_TOLD: Mapping[str, Callable[[Summary], Any]] = MappingProxyType(
    {
        "misses": lambda found: dict(found.misses_by_cause),
        **{name: lambda found, name=name: dict(found.spans[name]) for name in _SPANS},  # type: ignore[misc]
        "surge": lambda found: {"second": found.surge_second, "minute": found.surge_minute},
    }
)
"""What `to_dict` has in another form than the fields."""


@cache
def _kept_of(name: str) -> list[str]:
    return [key.partition(".")[2] for key in MEASURES if key.startswith(f"{name}.")]
