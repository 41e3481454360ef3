"""Rules on nulls, writes, nodes and scopes that do not fit what is read and changed."""

from collections.abc import Iterator

import numpy as np

from vestigo.explaining.check.facts import OfLookup
from vestigo.explaining.check.mistakes.suspicion import Suspicion
from vestigo.trace import Op
from vestigo.units import format_share

_MANY_NULL_MISSES = 0.3
_FEW_READS = 0.02
_LEAST_GHOSTS = 0.01
_LEAST_STALE = 0.001


def nulls_not_kept(of: OfLookup) -> Iterator[Suspicion]:
    """Many reads ask again for what the origin does not have."""
    missed = of.misses["null"]
    total = sum(of.misses.values())
    if of.rules.nulls.mode != "skip" or missed < _MANY_NULL_MISSES * max(total, 1):
        return
    yield Suspicion(
        "nulls not kept",
        of.key("nulls"),
        f"{missed:,} of {total:,} misses of {of.name} asked again for what the origin does not have",
        tuple({of.key("nulls"): how} for how in ("keep", "keep 10m", "keep 1m")),
    )


def nulls_kept_too_long(of: OfLookup) -> Iterator[Suspicion]:
    """Nulls are kept for so long that readers miss what has been created meanwhile."""
    false_nulls, hits = of.counts.false_nulls, of.counts.nulls_hit
    if of.rules.nulls.mode != "keep" or false_nulls < max(_LEAST_GHOSTS * hits, 1):
        return
    yield Suspicion(
        "nulls kept beyond the creation of things",
        of.key("nulls"),
        f"{false_nulls:,} of {hits:,} answers 'not found' were wrong: {of.traits.null_keys_created:,} keys had been "
        "created since",
        tuple({of.key("nulls"): how} for how in ("keep 10m", "keep 1m", "keep 10s", "skip")),
        judged="false_nulls",
    )


def nulls_blind(of: OfLookup) -> Iterator[Suspicion]:
    """Nulls are kept, but the code takes them for "not in the cache" and loads them again."""
    if of.rules.nulls.mode != "blind" or not of.misses["null"]:
        return
    yield Suspicion(
        "nulls kept and not believed",
        of.key("nulls"),
        f"{of.misses['null']:,} misses found a null that was kept, and loaded it again",
        tuple({of.key("nulls"): how} for how in ("keep", "keep 10m")),
    )


def drop_first(of: OfLookup) -> Iterator[Suspicion]:
    """Callers remove an entry before they read it, so it can never answer."""
    if not of.rules.drop_first or not of.traits.repeats:
        return
    yield Suspicion(
        "entries dropped before they are read",
        of.key("drop_first"),
        f"callers drop an entry before they read it, so that none of {of.reads:,} reads of {of.name} is a hit",
        ({of.key("drop_first"): False},),
    )


def _writes(of: OfLookup) -> int:
    trace = of.facts.trace
    return int(np.count_nonzero((trace.lookup == of.number) & ((trace.op == Op.WRITE) | (trace.op == Op.REMOVE))))


def _is_stale(of: OfLookup) -> bool:
    return bool(of.counts.stale_hits >= max(_LEAST_STALE * of.reads, 1))


def left_on_writes(of: OfLookup) -> Iterator[Suspicion]:
    """The process sees writes of a key, but leaves the old value in the cache."""
    if of.rules.on_write != "leave" or of.changes != "in writes" or not _is_stale(of):
        return
    yield Suspicion(
        "entries left when their key is written",
        of.key("on_write"),
        f"the trace shows {_writes(of):,} writes of {of.name}, on_write leaves what is held, and "
        f"{of.counts.stale_hits:,} reads were stale hits",
        tuple({of.key("on_write"): how} for how in ("drop", "replace")),
    )


def dropped_for_nothing(of: OfLookup) -> Iterator[Suspicion]:
    """A write drops the entry, though it could put the new value there at no cost."""
    if of.rules.on_write != "drop" or not of.misses["dropped"]:
        return
    yield Suspicion(
        "entries dropped where replacing costs nothing",
        of.key("on_write"),
        f"{of.misses['dropped']:,} reads of {of.name} loaded what a write had just known",
        ({of.key("on_write"): "replace"},),
    )


def nodes_not_told(of: OfLookup) -> Iterator[Suspicion]:
    """One node writes, and the others keep the old value because nobody tells them."""
    rules = of.rules
    if (
        rules.per != "node"
        or of.places < 2
        or rules.tell_nodes != "nothing"
        or of.changes != "in writes"
        or not _is_stale(of)
    ):
        return
    own = {of.key("on_write"): "drop"} if rules.on_write == "leave" else {}
    yield Suspicion(
        "nodes that do not hear of writes",
        of.key("tell_nodes"),
        f"{of.places} nodes keep {of.name} for themselves, and none hears what another writes: "
        f"{of.counts.stale_hits:,} reads were stale hits",
        tuple(own | {of.key("tell_nodes"): how} for how in ("drop", "copy")),
    )


def scopes_that_do_not_repeat(of: OfLookup) -> Iterator[Suspicion]:
    """Each scope has a cache of its own, but hardly any scope reads a key twice."""
    traits = of.traits
    if of.rules.per != "scope" or traits.scope_repeats > _FEW_READS * max(traits.scoped_reads, 1) or not traits.repeats:
        return
    yield Suspicion(
        "a cache for each scope, where nothing repeats in one",
        of.key("per"),
        f"{format_share(traits.scope_repeats / max(traits.scoped_reads, 1))} of the reads of {of.name} repeat a key of "
        f"their scope, {format_share(traits.repeats / max(traits.reads, 1))} one of any",
        tuple({of.key("per"): per} for per in ("node", "all")),
    )


ALL = (
    nulls_not_kept,
    nulls_kept_too_long,
    nulls_blind,
    drop_first,
    left_on_writes,
    dropped_for_nothing,
    nodes_not_told,
    scopes_that_do_not_repeat,
)
