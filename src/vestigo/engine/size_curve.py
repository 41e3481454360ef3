"""``size_curve``: the hit rate at every size, in one pass."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from vestigo.arguments import argument, several, share_above_zero, whole_number
from vestigo.data import Data, Told
from vestigo.engine.context import whose_cache
from vestigo.engine.groups import groups_of
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.engine.size_counts import Ask, size_counts
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError, raise_for_unknown
from vestigo.outcome import Outcome
from vestigo.prepared.counting import first_counted
from vestigo.prepared.fill import Assumed, assume, largest_given
from vestigo.rules import Rules
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Readable, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import Longs
from vestigo.units import Duration, format_bytes, format_share, parse_bytes

if TYPE_CHECKING:
    import pandas as pd

ALL = "all look-ups"
ENOUGH = "95%"
"""Of the hits that no limit gives."""
MIB = 2**20


@dataclass(frozen=True, eq=False, repr=False)
class SizeCurve(Data):
    """The hits of LRU at every size. There are no lifetimes, everything that is loaded is kept, and loads take no time.

    `entries` are the sizes at which one more entry brings hits, ascending, and `entry_hits` the hits there. `bytes`
    (with overhead) and their hits are the same, in steps of less than 1 %.
    """

    name: str
    reads: int
    entries: Longs
    entry_hits: Longs
    bytes: Longs
    byte_hits: Longs
    max_entries: int | None = None
    """Today's limits."""
    max_bytes: int | None = None
    sizes: tuple[int, ...] = ()
    """The sizes and sliding lifetimes of `surface`."""
    lifetimes: tuple[Duration, ...] = ()
    surface: np.ndarray | None = None
    """The hit rate by size and sliding lifetime."""
    enough_share: float = 0.95
    """How much of the hits without a limit is enough."""
    real_rate: float | None = None
    """The hit rate of today's settings with all of their rules, if they were replayed."""
    whose: str = ""
    """Whose cache has each size: that of a node, a scope, or all."""
    exact_from: int = 0
    """The bytes of the largest value with overhead. Below this the curve in bytes is rough: it counts values that would
    never fit as if they came in.
    """

    def hit_rate(self, max_entries: int | None = None, *, max_bytes: int | str | None = None) -> float:
        """The hit rate at a number of entries, or at bytes (``"64 MiB"``). For bytes it is exact at the curve's
        `bytes` from `exact_from` on. Raises RulesError for what is not a size.
        """
        if max_entries is not None and max_bytes is not None:
            raise RulesError("max_entries and max_bytes are both given; the curve knows one at a time")
        if isinstance(max_entries, str):
            raise RulesError(f"max_entries: {max_entries!r} is not a number of entries; for bytes give max_bytes=")
        if max_bytes is None:
            size = None if max_entries is None else whole_number("max_entries", max_entries, 0)
            steps, hits = self.entries, self.entry_hits
        else:
            size = argument("max_bytes", parse_bytes, max_bytes)
            steps, hits = self.bytes, self.byte_hits
        if not len(steps) or not self.reads:
            return 0.0
        place = len(steps) if size is None else int(np.searchsorted(steps, size, "right"))
        return float(hits[place - 1]) / self.reads if place else 0.0

    @property
    def ceiling(self) -> float:
        """The hit rate with no limit."""
        return self.hit_rate()

    @property
    def enough_entries(self) -> int:
        """The smallest size that gives `enough_share` of the hits without a limit. It is 0 if nothing is read again."""
        return _least(self.entries, self.entry_hits, self.enough_share)

    @property
    def enough_bytes(self) -> int:
        """The smallest size in bytes that is known to be enough: none below `exact_from` is known."""
        least = _least(self.bytes, self.byte_hits, self.enough_share)
        return max(least, min(self.exact_from, int(self.bytes[-1]))) if least else 0

    @property
    def at_limit(self) -> float | None:
        """The curve's hit rate at today's limit. The curve knows no expiry. None for a limit in bytes below
        `exact_from`.
        """
        if self.max_bytes is not None and self.max_bytes < self.exact_from:
            return None
        return self.hit_rate(self.max_entries, max_bytes=self.max_bytes)

    @property
    def exact_bytes(self) -> tuple[Longs, Longs]:
        """The part of the curve in bytes that is exact: sizes, and the hits there."""
        begin = int(np.searchsorted(self.bytes, self.exact_from))
        if begin == len(self.bytes) > 0:
            return np.array([self.exact_from]), self.byte_hits[-1:]
        return self.bytes[begin:], self.byte_hits[begin:]

    @property
    def limit_bytes(self) -> int | None:
        """Today's limit in bytes. For a limit in entries, the bytes that give the same hits. None if there is no
        limit.
        """
        if self.max_bytes is not None:
            return self.max_bytes
        if self.max_entries is None or not len(self.bytes):
            return None
        hits = self.hit_rate(self.max_entries) * self.reads
        return int(self.bytes[min(int(np.searchsorted(self.byte_hits, hits - 0.5)), len(self.bytes) - 1)])

    @property
    def next_mib(self) -> float | None:
        """The share of reads that one more MiB than today's limit would answer in addition. None where that is not
        known (below `exact_from`).
        """
        limit = self.limit_bytes
        return 0.0 if limit is None else self._more(limit, limit + MIB)

    @property
    def last_mib(self) -> float | None:
        """The share of reads that the last MiB of today's limit, or of all that is ever used, answers. None where that
        is not known.
        """
        limit = self.limit_bytes if self.limit_bytes is not None else int(self.bytes[-1]) if len(self.bytes) else 0
        return self._more(max(limit - MIB, 0), limit)

    def _more(self, less: int, more: int) -> float | None:
        if 0 < less < self.exact_from or more < self.exact_from:
            return None
        return self.hit_rate(max_bytes=more) - self.hit_rate(max_bytes=less)

    def to_dict(self) -> Told:
        return {
            "name": self.name,
            "reads": self.reads,
            "ceiling": self.ceiling,
            "enough": {"share": self.enough_share, "entries": self.enough_entries, "bytes": self.enough_bytes},
            "limit": {
                "entries": self.max_entries,
                "bytes": self.max_bytes,
                "hit_rate": self.at_limit,
                "real_hit_rate": self.real_rate,
                "next_mib": self.next_mib,
                "last_mib": self.last_mib,
            },
            "exact_from_bytes": self.exact_from,
            "entries": self.entries.tolist(),
            "entry_hits": self.entry_hits.tolist(),
            "bytes": self.bytes.tolist(),
            "byte_hits": self.byte_hits.tolist(),
        }

    def to_pandas(self, by: Literal["entries", "bytes"] = "entries") -> "pd.DataFrame":
        """One row for each step of the curve, in entries or in bytes, with the hits and the hit rate there."""
        import pandas as pd

        steps, hits = (self.entries, self.entry_hits) if by == "entries" else (self.bytes, self.byte_hits)
        return pd.DataFrame({"hits": hits, "hit_rate": hits / max(self.reads, 1)}, index=pd.Index(steps, name=by))

    def __repr__(self) -> str:
        return (
            f"<SizeCurve {self.name}: {self.reads:,} reads, at most {format_share(self.ceiling)} hits; "
            f"{format_share(self.enough_share)} of that with {self.enough_entries:,} entries, "
            f"{format_bytes(self.enough_bytes)}>"
        )


def size_curve(  # noqa: PLR0913  # options by name
    trace: Readable,
    settings: Settings | None = None,
    *,
    lookup: str | None = None,
    sizes: Iterable[int] = (),
    lifetimes: Iterable[Duration | str] = (),
    enough: str = ENOUGH,
) -> SizeCurve:
    """The exact hit rate of LRU at every size, in one pass, for one look-up or for all in one room.

    It uses from the plan the warm-up, the circumstances, overheads, whether writes replace, and today's limits, which
    are marked. With `sizes` (entries) and `lifetimes`, the curve has a `surface`: the hit rate at each size with each
    sliding lifetime. `enough` says how much of the hits without a limit is enough. For other policies and rules, sweep
    the sizes: ``vary={"rules.max_entries": sizes}``.

    Raises UnknownName for a look-up that the trace does not have, and RulesError for other arguments that mean nothing.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 2, 3, 4], "key": ["a", "b", "a", "c", "b"]})
    >>> curve = size_curve(trace)
    >>> [curve.hit_rate(size) for size in (1, 2, 3)]
    [0.0, 0.2, 0.4]
    """
    stated = plan_of(settings if settings is not None else Rules())
    enough_share = share_above_zero("enough", enough, ENOUGH)
    spans = sorted(argument("lifetimes", Duration.parse, one) for one in several("lifetimes", lifetimes, '["10m"]'))
    steps = sorted({whole_number("sizes", one, 1) for one in several("sizes", sizes, "[100, 1000]")})
    if bool(steps) != bool(spans):
        raise RulesError("sizes and lifetimes make a surface together; give both, or neither")
    trace, stated = applied(trace_of(trace, stated), stated)
    names = _chosen(trace, lookup)
    rules = stated.rules_for(lookup) if lookup is not None else stated.rules
    ask = Ask(
        [name in names for name in trace.lookups],
        [stated.rules_for(name).per == "node" for name in trace.lookups],
        rules.entry_overhead,
        rules.on_write.startswith("replace"),
        steps,
        [int(one) for one in spans],
    )
    assumed = assume(trace, stated)
    counts = size_counts(trace, assumed, ask, first_counted(trace, stated.warm_up))
    entries, bins = np.flatnonzero(counts.by_entries), np.flatnonzero(counts.by_bytes)
    limits = stated.pool_rules(lookup) if lookup is not None else None
    return SizeCurve(
        ALL if lookup is None else lookup,
        counts.reads,
        entries,
        np.cumsum(counts.by_entries)[entries],
        counts.largest_bytes[bins],
        np.cumsum(counts.by_bytes)[bins],
        limits.max_entries if limits else None,
        limits.max_bytes if limits else None,
        tuple(steps),
        tuple(spans),
        _surface(counts.surface, counts.reads) if steps and spans else None,
        enough_share,
        whose=whose_cache(trace, groups_of(trace, stated)) if len(trace.nodes) > 1 else "",
        exact_from=_largest(trace, [name in names for name in trace.lookups], assumed) + rules.entry_overhead,
    )


def with_real_rates(trace: Readable, settings: Settings, curves: Sequence[SizeCurve]) -> list[SizeCurve]:
    """The curves of look-ups, each with the hit rate that the plan's own settings give."""
    stated = plan_of(settings)
    trace, stated = applied(trace_of(trace, stated), stated)
    return with_rates_of(run(job(trace, stated), "today"), curves)


def with_rates_of(outcome: Outcome, curves: Sequence[SizeCurve]) -> list[SizeCurve]:
    """The curves of look-ups, each with the hit rate that it has in an outcome."""
    return [replace(one, real_rate=outcome.lookups[one.name].hit_rate) for one in curves]


def _chosen(trace: Trace, lookup: str | None) -> tuple[str, ...]:
    if lookup is None:
        return trace.lookups
    raise_for_unknown("look-up", lookup, trace.lookups)
    return (lookup,)


def _surface(cells: np.ndarray, reads: int) -> np.ndarray:
    within: np.ndarray = np.cumsum(np.cumsum(cells, 0), 1)[:-1, :-1] / max(reads, 1)
    return within


def _largest(trace: Trace, chosen: Sequence[bool], assumed: Assumed) -> int:
    """The bytes of the largest value of the chosen look-ups."""
    given = largest_given(trace, "size")
    largest = np.where(given == MISSING, np.array(assumed.size, np.int64), given)
    return int(largest[np.array(chosen, bool)].max(initial=0))


def _least(sizes: Longs, hits: Longs, share: float) -> int:
    return int(sizes[np.searchsorted(hits, share * hits[-1])]) if len(sizes) else 0
