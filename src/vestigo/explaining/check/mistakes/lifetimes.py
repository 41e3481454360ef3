"""Lifetimes that are too short, too long, or of the wrong kind."""

from collections.abc import Iterator

import numpy as np

from vestigo.explaining.check.facts import Facts, OfLookup
from vestigo.explaining.check.mistakes.suspicion import Suspicion
from vestigo.explaining.hypotheses.amounts import TOO_SMALL
from vestigo.rounding import ROUND, at_least, at_most
from vestigo.units import SECOND, Duration, format_seconds, format_share

_NEARLY_ALL = 0.9
_TIMES_BEHIND = 1.1
"""What a cache let through before the recording says nothing of lifetimes up to its own."""
_FEWEST_LIFETIMES = 3
_LEAST_STALE = 0.01
_DAY = 86_400 * SECOND
_ON_THE_CLOCK = 0.8
_WINDOW = _DAY // 24
_FEWEST_CHANGES = 10
_SURGE_CALLS, _TIMES_USUAL = 20, 10
"""Origin calls in one second, and how many times the usual, that are worth a word."""


def too_short(of: OfLookup) -> Iterator[Suspicion]:
    """A lifetime is shorter than the origin takes, or than nearly all gaps between two reads of a key."""
    for rule in ("absolute", "sliding"):
        lifetime = getattr(of.rules, rule)
        if lifetime is None or of.traits.repeats == 0 or lifetime <= _TIMES_BEHIND * of.behind_ns:
            continue
        longer = _share_above(of.gaps_ns, lifetime)
        load = of.traits.cost_p50 * SECOND
        if lifetime >= load and longer < _NEARLY_ALL:
            continue
        shorter_than = []
        if longer >= _NEARLY_ALL:
            shorter_than.append(f"{format_share(longer)} of the gaps between two reads of a key")
        if lifetime < load:
            shorter_than.append(f"the usual load of {format_seconds(of.traits.cost_p50)}")
        slip = _slipped(lifetime, of, load)
        gaps = [at_least(int(np.quantile(of.gaps_ns, share)) + 1) for share in (0.5, 0.9)] if len(of.gaps_ns) else []
        longer_ones = dict.fromkeys([*([slip] if slip else []), *gaps])
        yield Suspicion(
            "lifetime too short",
            of.key(rule),
            f"{rule} = {lifetime} is shorter than {' and than '.join(shorter_than)}",
            tuple({of.key(rule): str(one)} for one in longer_ones if one > lifetime),
            meant=f"; perhaps {slip} was meant, and this is {TOO_SMALL[int(slip // lifetime)]} it" if slip else "",
        )


def _slipped(lifetime: int, of: OfLookup, load_ns: float) -> Duration | None:
    """The round lifetime that was perhaps meant, if units were mixed up."""
    for times in TOO_SMALL:
        meant = Duration(lifetime * times)
        if meant in ROUND and meant >= load_ns and _share_above(of.gaps_ns, meant) < _NEARLY_ALL:
            return meant
    return None


def beyond_the_trace(facts: Facts) -> Iterator[Suspicion]:
    """A lifetime is longer than the trace, so the trace cannot tell what it does. A lifetime that several look-ups
    inherit is named once.
    """
    span = facts.trace.span_ns
    long = [
        of
        for of in facts.lookups()
        if of.rules.absolute and of.traits.repeats and of.rules.absolute * _FEWEST_LIFETIMES > span
    ]
    for key, of in {of.stated_in("absolute"): of for of in reversed(long)}.items():
        lifetime = of.rules.absolute or 0
        is_longer = lifetime > span
        how = "shorter than it" if is_longer else f"{span / lifetime:.1f} times as long"
        parts = [Duration(lifetime // times) for times in TOO_SMALL if lifetime % times == 0 and lifetime not in ROUND]
        meant = next((one for one in parts if one in ROUND and one < span), None)
        slip = f"; perhaps {meant} was meant, and this is {lifetime // meant:,} times as much" if meant else ""
        yield Suspicion(
            "lifetime longer than the trace" if is_longer else "trace of fewer than three lifetimes",
            key,
            f"absolute = {lifetime}, and the trace of {format_seconds(span / SECOND)} is {how}: it cannot tell what "
            f"this lifetime does; check it with a longer trace{slip}",
            ({key: str(meant)},) if meant else (),
            judged="nothing",
        )


def sliding_alone(of: OfLookup) -> Iterator[Suspicion]:
    """A sliding lifetime has no absolute one beside it, so what is read often is never loaded anew."""
    rules = of.rules
    if rules.sliding is None or rules.absolute is not None or rules.absolute_at is not None:
        return
    oldest = of.counts.answer_age(100)
    if oldest <= rules.sliding / SECOND or (of.counts.stale_known and not of.counts.stale_hits):
        return
    lifetimes = {at_most(int(oldest * SECOND / part)) for part in (2, 10)} | {at_least(int(rules.sliding) * 4)}
    fixes = tuple({of.key("absolute"): str(one)} for one in sorted(filter(None, lifetimes)))
    stale = f", {of.counts.stale_hits:,} of them stale" if of.counts.stale_known else ""
    yield Suspicion(
        "sliding without absolute",
        of.key("sliding"),
        f"sliding = {rules.sliding} without absolute lets what is read often stay for ever: the oldest of "
        f"{of.counts.hits:,} answers{stale} was {format_seconds(oldest)} old",
        fixes,
        judged="age",
    )


def longer_than_the_data(of: OfLookup) -> Iterator[Suspicion]:
    """A lifetime is longer than values stay true."""
    lifetime = of.rules.absolute
    if lifetime is None or not len(of.turns_ns) or of.counts.stale_hits < _LEAST_STALE * max(of.reads, 1):
        return
    turn = int(np.median(of.turns_ns))
    if lifetime <= turn:
        return
    shorter = dict.fromkeys(filter(None, (at_most(turn // part) for part in (1, 2, 4, 10))))
    yield Suspicion(
        "lifetime longer than the data's own",
        of.key("absolute"),
        f"absolute = {lifetime}, but half of the values change within {format_seconds(turn / SECOND)}: "
        f"{of.counts.stale_hits:,} of {of.reads:,} reads were stale hits",
        tuple({of.key("absolute"): str(one)} for one in shorter if one < lifetime),
    )


def turns_on_the_clock(of: OfLookup) -> Iterator[Suspicion]:
    """A look-up has a plain lifetime, but its values change at a time of day."""
    times = of.change_times_ns
    if of.rules.absolute is None or of.rules.absolute_at is not None or len(times) < _FEWEST_CHANGES:
        return
    of_day = np.sort(times % _DAY)
    within = np.searchsorted(np.append(of_day, of_day + _DAY), of_day + _WINDOW) - np.arange(len(of_day))
    best = int(np.argmax(within))
    if within[best] < _ON_THE_CLOCK * len(times):
        return
    minute = int(of_day[best]) // (60 * SECOND)
    clock = f"{minute // 60:02}:{minute % 60:02}"
    yield Suspicion(
        "data that turns over on the clock",
        of.key("absolute"),
        f"{format_share(float(within[best] / len(times)))} of the changes come within an hour after {clock} UTC, and "
        f"absolute = {of.rules.absolute} does not follow them",
        (
            {of.key("absolute_at"): clock, of.key("zone"): "UTC", of.key("absolute"): "1d"},
            {of.key("absolute_at"): clock, of.key("zone"): "UTC"},
        ),
    )


def all_at_once(of: OfLookup) -> Iterator[Suspicion]:
    """Entries expire or are cleared together, and that sends a surge of loads to the origin."""
    rules = of.rules
    now = of.facts.today.surge_second
    usual = of.facts.today.loads / max(of.facts.trace.span_ns / SECOND, 1)
    if now < max(_SURGE_CALLS, _TIMES_USUAL * usual):
        return
    for rule in ("clear_every", "clear_at", "absolute_at"):
        value = getattr(rules, rule)
        if value is None:
            continue
        fixes = [{of.key(rule): "never"}] if rule != "absolute_at" else []
        yield Suspicion(
            "schedule that sends a surge",
            of.key(rule),
            f"{rule} = {value} ends all entries of {of.name} at one moment: the busiest second of all look-ups has "
            f"{now:,} origin calls",
            (*fixes, {of.key("overlap"): "join"}),
            judged="surge",
        )
    if rules.absolute is not None and not rules.jitter:
        yield Suspicion(
            "common expiry that sends a surge",
            of.key("absolute"),
            f"what was loaded together ends together after absolute = {rules.absolute}, without jitter: the busiest "
            f"second of all look-ups has {now:,} origin calls",
            ({of.key("jitter"): "20%"},),
            judged="surge",
        )


def _share_above(ascending: np.ndarray, amount: int) -> float:
    if not len(ascending):
        return 0.0
    return 1 - float(np.searchsorted(ascending, amount, side="right")) / len(ascending)


ALL = (too_short, sliding_alone, longer_than_the_data, turns_on_the_clock, all_at_once)
