"""The measures by which settings are judged, one row each."""

import re
from collections.abc import Callable, Mapping
from typing import Any, Literal, NamedTuple

from vestigo.errors import raise_for_unknown, unknown
from vestigo.units import SECOND, Duration, format_bytes, format_share, format_span, parse_bytes, parse_share

_PARTS = re.compile(r"\s*(\d+\.\d+)\s*([A-Za-z]+)\s*")
_NUMBER = re.compile(r"\d+(?:_\d+)*(?:\.\d+)?")

Kind = Literal["share", "size", "span", "count"]


class OfSlices(NamedTuple):
    """How a measure follows from the counts of slices of time, which are added up."""

    counts: tuple[str, ...]
    """Fields of `vestigo.outcome.Slice`, or ``reads``."""
    of: Callable[..., Any]
    """Works out the measure from these counts, which are numbers or arrays."""


class AddsUp(NamedTuple):
    """How a measure follows from what look-ups count alone: the sum of `over`, divided by the sum of `per`. Both take
    a `vestigo.outcome.Measures`.
    """

    over: Callable[[Any], float]
    per: Callable[[Any], float] | None = None
    """None: it is not divided."""


class OfSpans(NamedTuple):
    """A percentile of spans of time, which `vestigo.outcome.Measures` has under this name."""

    spans: str
    percentile: int


class Measure(NamedTuple):
    """What a measure counts, its unit, whether more of it is better, and where it comes from."""

    label: str
    """The name for people."""
    kind: Kind
    more_is_better: bool = False
    of_staleness: bool = False
    """Whether it is unknown for a trace that shows no changes."""
    of: Callable[[Any], float] | None = None
    """Takes the measure from a `vestigo.outcome.Measures`. None: it has the measure under the same name."""
    of_slices: OfSlices | None = None
    """How slices tell it. None: they do not."""
    adds_up: AddsUp | None = None
    """How look-ups tell it. None: it does not add up."""
    of_origin: bool = False
    """Whether it says nothing unless an origin is stated (``[origin]``)."""
    of_spans: OfSpans | None = None
    """The spans that it is a percentile of, if it is one."""
    meaning: str = ""
    """What it is, in a sentence or two."""

    def read(self, text: str) -> float:
        """Reads an amount from text, in the unit of `Outcome.to_dict`. Raises ValueError."""
        if self.kind == "share":
            return float(parse_share(text))
        if self.kind == "size":
            size = _PARTS.fullmatch(text)  # a limit may lie between two bytes
            return float(size[1]) * parse_bytes(f"1 {size[2]}") if size else parse_bytes(text)
        if self.kind == "span":
            return Duration.parse(text) / SECOND
        if not _NUMBER.fullmatch(text):
            raise ValueError(f"{text!r} is not a number")
        return float(text)

    def better(self, amount: float, other: float) -> int:
        """1 if an amount is better than another one, -1 if it is worse, and 0 if both are written alike.

        >>> MEASURES["loads"].better(90, 100), MEASURES["hit_rate"].better(0.5001, 0.5002)
        (1, 0)
        """
        if self.amount_text(amount) == self.amount_text(other):
            return 0
        return 1 if (amount > other) == self.more_is_better else -1

    def amount_text(self, amount: float) -> str:
        """An amount for people."""
        if self.kind == "count":
            return f"{amount:,.0f}"
        return {"share": format_share, "size": format_bytes, "span": format_span}[self.kind](amount)


def _spans(  # noqa: PLR0913  # a side of the times each
    name: str, label: str, longest: str, *percentiles: int, mean: AddsUp, meaning: str, of_staleness: bool = False
) -> dict[str, Measure]:
    """The mean, the percentiles and the maximum of times. `meaning` says what the times are, `mean` how they add up."""

    def percentile(share: int) -> Callable[[object], float]:
        return lambda found: float(getattr(found, name)(share))

    def of(what: str, amount: Callable[[object], float], which: str) -> Measure:
        return Measure(what, "span", False, of_staleness, amount, meaning=f"{meaning} {which}")

    mean_of = of(f"mean {label}", lambda found: float(getattr(found, name)()), "The mean.")._replace(adds_up=mean)
    longest_of = of(f"{label} max", lambda found: float(getattr(found, longest) / 1e9), "The longest of all.")
    between = {
        f"{name}.p{share}": of(
            f"{label} p{share}", percentile(share), f"{share} of 100 are no longer than this."
        )._replace(of_spans=OfSpans(f"{name}s", share))
        for share in percentiles
    }
    return {f"{name}.mean": mean_of, **between, f"{name}.max": longest_of}


MEASURES: Mapping[str, Measure] = {
    "hit_rate": Measure(
        "hit rate",
        "share",
        True,
        of_slices=OfSlices(("hits", "reads"), lambda hits, reads: hits / reads),
        adds_up=AddsUp(lambda found: found.hits, lambda found: found.reads),
        meaning="The share of reads that the cache answered. A reader who waits for a load is not a hit.",
    ),
    "fresh_hit_rate": Measure(
        "fresh hits",
        "share",
        True,
        True,
        of_slices=OfSlices(("hits", "stale_hits", "reads"), lambda hits, stale, reads: (hits - stale) / reads),
        adds_up=AddsUp(lambda found: found.hits - found.stale_hits, lambda found: found.reads),
        meaning="The share of reads that the cache answered with the value that the origin had at that moment.",
    ),
    "byte_hit_rate": Measure(
        "byte hit rate",
        "share",
        True,
        adds_up=AddsUp(lambda found: found.bytes_hit, lambda found: found.bytes_hit + found.bytes_missed),
        meaning="The share of the bytes given to readers that came from the cache.",
    ),
    "stale_rate": Measure(
        "stale hits",
        "share",
        False,
        True,
        of_slices=OfSlices(("stale_hits", "reads"), lambda stale, reads: stale / reads),
        adds_up=AddsUp(lambda found: found.stale_hits, lambda found: found.reads),
        meaning="The share of reads that the cache answered with a value that had changed at the origin.",
    ),
    "memory_peak": Measure(
        "memory peak",
        "size",
        meaning="The most memory that all entries took at one moment, in all compartments together, with overheads.",
    ),
    "memory_mean": Measure(
        "mean memory",
        "size",
        adds_up=AddsUp(lambda found: found.memory_mean),
        meaning="The memory that all entries took, on average over time.",
    ),
    "loads": Measure(
        "origin calls",
        "count",
        of_slices=OfSlices(("loads",), lambda loads: loads),
        adds_up=AddsUp(lambda found: found.loads),
        meaning="Calls to the origin: for misses, and for reloads in the background. Shared calls count once.",
    ),
    "origin_time": Measure(
        "origin time",
        "span",
        of=lambda found: found.origin_time_ns / 1e9,
        adds_up=AddsUp(lambda found: found.origin_time_ns / 1e9),
        meaning="How long all origin calls took.",
    ),
    "time_saved": Measure(
        "time saved",
        "span",
        True,
        adds_up=AddsUp(lambda found: -found.read_time_ns / 1e9),
        meaning="How much less all readers waited than without a cache.",
    ),
    "false_nulls": Measure(
        "wrong 'not found'",
        "count",
        False,
        True,
        adds_up=AddsUp(lambda found: found.false_nulls),
        meaning="Reads that were told that there is nothing although the origin had a value by then.",
    ),
    "evictions": Measure(
        "evictions",
        "count",
        adds_up=AddsUp(lambda found: found.evictions),
        meaning="Entries that had to make room for another one.",
    ),
    **_spans(
        "read_time",
        "read time",
        "longest_read_ns",
        50,
        95,
        99,
        mean=AddsUp(lambda found: found.read_time_ns / 1e9, lambda found: found.reads),
        meaning="How long a read took.",
    ),
    **_spans(
        "answer_age",
        "answer age",
        "oldest_answer_ns",
        95,
        mean=AddsUp(lambda found: found.answer_age_ns / 1e9, lambda found: found.hits),
        meaning="How long ago the answer of a hit was loaded, or put there by a write.",
    ),
    **_spans(
        "stale_age",
        "stale age",
        "oldest_stale_ns",
        95,
        mean=AddsUp(lambda found: found.stale_age_ns / 1e9, lambda found: found.stale_hits),
        meaning="How long the value of a stale hit had been wrong.",
        of_staleness=True,
    ),
    **{
        name: one._replace(of_origin=True)
        for name, one in {
            "failed_rate": Measure(
                "failed reads",
                "share",
                of_slices=OfSlices(("failed", "reads"), lambda failed, reads: failed / reads),
                adds_up=AddsUp(lambda found: found.failed, lambda found: found.reads),
                meaning="The share of reads that got no answer: the origin was away, or they gave up.",
            ),
            "slow_rate": Measure(
                "slow reads",
                "share",
                of_slices=OfSlices(("slow_reads", "reads"), lambda slow, reads: slow / reads),
                adds_up=AddsUp(lambda found: found.slow_reads, lambda found: found.reads),
                meaning="The share of reads that were answered later than the `slow` of their origin.",
            ),
            **_spans(
                "origin_wait",
                "origin wait",
                "longest_wait_ns",
                95,
                mean=AddsUp(lambda found: found.origin_wait_ns / 1e9, lambda found: found.origin_waits.count),
                meaning="How long an origin call waited for a place.",
            ),
            "waiting_peak": Measure(
                "calls waiting",
                "count",
                meaning="The most calls that waited at once for a place at the origin.",
            ),
        }.items()
    },
    "surge.second": Measure(
        "origin calls in the busiest second",
        "count",
        of=lambda found: found.surge_second,
        meaning="The most origin calls that began in one second of the clock, after a restart or clear for example.",
    ),
    "surge.minute": Measure(
        "origin calls in the busiest minute",
        "count",
        of=lambda found: found.surge_minute,
        meaning="The most origin calls that began in one minute of the clock.",
    ),
}
"""By key, as `Outcome.to_dict`, plans and JSON have it; those below a heading with a dot."""


MOMENTS = ("node", "restart", "clear", "outage", "slow", "readers")
"""What can be rehearsed: one node restarts, all do, everything is cleared, the origin is away, it is slow, there are
twice the readers."""
_OF_MOMENTS: Mapping[str, Measure] = {
    "recovery": Measure("as well off after", "span"),
    "failed": Measure("failed reads", "count"),
    "slow": Measure("slow reads", "count"),
    "waiting": Measure("calls waiting", "count"),
}
"""What is told of a bad moment, by the name in `vestigo.choosing.rehearsing.rehearsed.Rehearsed`."""
REHEARSED: Mapping[str, Measure] = {
    f"rehearsed.{moment}.{name}": one._replace(label=f"{one.label} ({moment} rehearsed)")
    for moment in MOMENTS
    for name, one in _OF_MOMENTS.items()
} | {f"rehearsed.{name}": one._replace(label=f"{one.label} (all rehearsed)") for name, one in _OF_MOMENTS.items()}
"""What can only be limited: how a bad moment goes, or the worst of all. A choice rehearses for it."""


def limited_measure(name: object) -> Measure:
    """What can be limited under this name. Raises ValueError if there is nothing."""
    return REHEARSED[name] if isinstance(name, str) and name in REHEARSED else measure(name)


def measure(name: object) -> Measure:
    """The measure of this name. Raises ValueError if there is none."""
    if not isinstance(name, str) or name not in MEASURES:
        raise ValueError(unknown(name, MEASURES))
    return MEASURES[name]


def asked_measure(name: object) -> Measure:
    """The same for a measure that a user asks for. Raises UnknownName."""
    raise_for_unknown("measure", name, MEASURES)
    return measure(name)


def is_told(name: str, found: Any) -> bool:
    """Whether a measure means anything of what was found: staleness where the trace shows changes, failures and waits
    where an origin is stated.
    """
    one = MEASURES[name]
    return (found.stale_known or not one.of_staleness) and (found.origin_stated or not one.of_origin)


def amount_of(found: object, name: str) -> Any:
    """The amount of a measure, taken from a `vestigo.outcome.Measures`."""
    of = MEASURES[name].of
    return getattr(found, name) if of is None else of(found)


def check_direction(word: str, name: object) -> None:
    """Raises ValueError if an aim cannot ask for ``most``, or ``least``, of a measure."""
    if measure(name).more_is_better != (word == "most"):
        other = "least" if word == "most" else "most"
        raise ValueError(
            f"{'lower' if word == 'most' else 'higher'} is better for {name}; write {other} instead of {word}"
        )
