"""Limits and policies that do not fit."""

from collections.abc import Iterator

import numpy as np

from vestigo.explaining.check.facts import Facts, OfLookup
from vestigo.explaining.check.mistakes.suspicion import Suspicion
from vestigo.units import format_bytes, format_exact_bytes, format_seconds, format_share

_FAR_BELOW_PEAK = 0.5
_MANY_EVICTED = 0.1
_SIZES_DIFFER_TIMES = 100
_FEW_READS = 0.005
_POLICIES = ("lru", "s3-fifo", "sieve", "w-tinylfu", "arc", "slru", "lfu-da")


def never_reached(facts: Facts) -> Iterator[Suspicion]:
    """None of the look-ups under a limit ever needed half of it. Shared rooms are not looked at."""
    own = [of for of in facts.lookups() if facts.plan.pool_for(of.name) is None]
    for rule, amount, write in (
        ("max_entries", "entries_peak", "{:,}".format),
        ("max_bytes", "memory_peak", format_bytes),
    ):
        holders: dict[str, list[OfLookup]] = {}
        for of in own:
            holders.setdefault(of.stated_in(rule), []).append(of)
        for key, sharing in holders.items():
            limit, most = getattr(sharing[0].room, rule), max(of.counts.amount(amount) for of in sharing)
            used = any(of.counts.evictions or of.counts.refusals for of in sharing)
            if limit is None or used or most >= _FAR_BELOW_PEAK * limit:
                continue
            names, places = ", ".join(of.name for of in sharing), max(of.places for of in sharing)
            on_nodes = f" on {places} nodes together" if places > 1 else ""
            yield Suspicion(
                "limit never reached",
                key,
                f"{rule} = {write(limit)}, and {names} never held more than {write(most)}{on_nodes}",
                judged="nothing",
            )


def far_below(of: OfLookup) -> Iterator[Suspicion]:
    """A limit is far below what is read again and again."""
    evicted = of.misses["evicted"]
    if not of.reads or evicted < _MANY_EVICTED * of.reads:
        return
    for rule, write in (("max_entries", lambda most: most), ("max_bytes", format_exact_bytes)):
        most = getattr(of.room, rule)
        if most is None:
            continue
        needs = (
            f"{of.traits.keys:,} keys" if rule == "max_entries" else f"{format_bytes(of.traits.size_of_all)} of values"
        )
        yield Suspicion(
            "limit far below what is read",
            of.room_key(rule),
            f"{rule} = {write(most)}, for {needs}: {format_share(evicted / of.reads)} of the reads of {of.name} "
            "missed what had been evicted",
            tuple({of.room_key(rule): write(most * times)} for times in (2, 4, 8)),
        )


def never_fit(of: OfLookup) -> Iterator[Suspicion]:
    """Values are larger than the whole pool, so each of their reads loads them again."""
    refused, most = of.counts.refusals, of.room.max_bytes
    if most is None or not refused or not len(of.own_sizes):
        return
    needs = of.own_sizes + of.rules.entry_overhead
    too_large = int(np.count_nonzero(needs > most))
    if too_large < max(_FEW_READS * len(needs), 1):
        return
    largest = int(needs.max())
    time = f", and {format_seconds(of.counts.origin_time)} of origin time in all" if of.counts.origin_time else ""
    yield Suspicion(
        "values that never fit",
        of.room_key("max_bytes"),
        f"max_bytes = {format_bytes(most)}, and {too_large:,} of {len(needs):,} reads of {of.name} are of larger "
        f"values, up to {format_bytes(largest)} with overhead: values were loaded and refused {refused:,} times{time}",
        tuple({of.room_key("max_bytes"): format_exact_bytes(-(-largest // 2**20) * 2**20 * times)} for times in (1, 2)),
        judged="nothing",
    )


def entries_of_all_sizes(of: OfLookup) -> Iterator[Suspicion]:
    """A limit counts entries, but one entry takes a hundred times the memory of another."""
    if of.room.max_entries is None or of.room.max_bytes is not None or not len(of.own_sizes):
        return
    small, large = np.quantile(of.own_sizes + of.rules.entry_overhead, [0.02, 0.98])
    if large < _SIZES_DIFFER_TIMES * small or not of.counts.evictions:
        return
    bytes_each = max(
        int(of.facts.today.memory_peak if of.facts.plan.pool_for(of.name) else of.counts.memory_peak) // of.places,
        1024,
    )
    yield Suspicion(
        "limit in entries where sizes differ",
        of.room_key("max_entries"),
        f"max_entries = {of.room.max_entries:,}, but entries are between {format_bytes(small)} and "
        f"{format_bytes(large)}: the limit says nothing of memory, and large ones push out many small ones",
        (
            {
                of.room_key("max_entries"): "no limit",
                of.room_key("max_bytes"): format_exact_bytes(bytes_each // 1024 * 1024),
            },
        ),
    )


def policies(of: OfLookup) -> Iterator[Suspicion]:
    """An eviction policy makes no difference here, or another one would do clearly better."""
    if not of.facts.today.evictions or not of.counts.evictions:
        return
    policy = of.room.eviction.name
    if policy not in ("lru", "belady"):
        yield Suspicion(
            "policy that makes no difference",
            of.room_key("eviction"),
            f"eviction = {of.room.eviction} gives no more than lru would",
            ({of.room_key("eviction"): "lru"},),
            judged="no worse",
        )
    if policy != "belady":
        yield Suspicion(
            "policy that would do better",
            of.room_key("eviction"),
            f"{of.counts.evictions:,} entries of {of.name} were evicted by {of.room.eviction}, and another policy "
            "would have kept more of what is read again",
            tuple({of.room_key("eviction"): other} for other in _POLICIES if other != policy),
        )


ALL = (far_below, never_fit, entries_of_all_sizes, policies)
