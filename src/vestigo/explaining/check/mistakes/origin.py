"""Loads that are unnecessary, and look-ups that need no cache."""

from collections.abc import Iterator

import numpy as np

from vestigo.explaining.check.facts import OfLookup
from vestigo.explaining.check.mistakes.suspicion import Suspicion
from vestigo.rounding import at_least
from vestigo.trace import Op
from vestigo.trace.columns import MISSING
from vestigo.units import SECOND, format_seconds, format_share

_MANY = 0.005
_LITTLE = 0.01
_SEVERAL = 4
"""Keys of a scope that are worth one call."""
_LONGEST_WINDOW = 10 * SECOND
_OFTEN, _MANY_CLEARED = 10, 0.05


def loaded_side_by_side(of: OfLookup) -> Iterator[Suspicion]:
    """Many readers load the same key at the same time."""
    loading = of.misses["loading"]
    if of.rules.overlap != "repeat" or loading < max(_MANY * of.reads, 2):
        return
    yield Suspicion(
        "many readers load one key at once",
        of.key("overlap"),
        f"{loading:,} reads of {of.name} loaded a key that was being loaded already",
        ({of.key("overlap"): "join"},),
        judged="calls",
    )


def reloaded_in_vain(of: OfLookup) -> Iterator[Suspicion]:
    """Reloads ahead of expiry make more origin calls than they save misses."""
    if of.rules.reload_after is None or not of.counts.background_loads:
        return
    yield Suspicion(
        "reloads that load more than they save",
        of.key("reload_after"),
        f"{of.counts.background_loads:,} loads in the background for {of.counts.hits:,} hits of {of.name}",
        ({of.key("reload_after"): "never"},),
        judged="calls",
    )


def single_loads(of: OfLookup) -> Iterator[Suspicion]:
    """A page or request loads many keys one by one, which could share a call."""
    trace, traits = of.facts.trace, of.traits
    distinct = traits.scoped_reads - traits.scope_repeats
    if of.rules.batch is not None or distinct < _SEVERAL * max(traits.scopes, 1) or not traits.scopes:
        return
    rows = np.flatnonzero((trace.lookup == of.number) & (trace.op == Op.READ) & (trace.scope != MISSING))
    order = rows[np.lexsort((trace.at[rows], trace.scope[rows]))]
    begins = np.flatnonzero(np.append(True, np.diff(trace.scope[order]) != 0))
    spans = np.maximum.reduceat(trace.at[order], begins) - trace.at[order][begins]
    windows = dict.fromkeys(at_least(int(np.quantile(spans, share)) + 1) for share in (0.5, 0.9))
    yield Suspicion(
        "single loads that could share a call",
        of.key("batch"),
        f"a scope reads {distinct / traits.scopes:.1f} keys of {of.name} on average, and each that is not held is "
        f"loaded by a call of its own: {of.counts.loads:,} calls for {traits.scopes:,} scopes",
        tuple({of.key("batch"): str(window)} for window in windows if window <= _LONGEST_WINDOW),
        judged="shared calls",
    )


def cleared_again_and_again(of: OfLookup) -> Iterator[Suspicion]:
    """The program clears the look-up so often that it can hardly answer."""
    trace, missed = of.facts.trace, of.misses["cleared"]
    clears = trace.at[(trace.op == Op.CLEAR) & ((trace.lookup == of.number) | (trace.lookup == MISSING))]
    if len(clears) < _OFTEN or missed < _MANY_CLEARED * max(of.reads, 1):
        return
    between = format_seconds(float(np.median(np.diff(clears))) / SECOND)
    yield Suspicion(
        "a look-up that is cleared again and again",
        f"lookup.{of.name}",
        f"the trace has {len(clears):,} clears of {of.name}, half of them within {between} of the one before: "
        f"{missed:,} of {of.reads:,} reads loaded what had been cleared; the program can drop single keys instead",
        judged="nothing",
    )


def hits_too_dear(of: OfLookup) -> Iterator[Suspicion]:
    """A hit takes longer than a call to the origin."""
    rules, counts = of.rules, of.counts
    size = of.traits.size_p50
    hit = (rules.hit_cost + rules.hit_cost_per_kib * size / 1024) / SECOND
    if not counts.hits or not of.traits.cost_p50 or hit < of.traits.cost_p50:
        return
    yield Suspicion(
        "hits that cost more than the origin",
        f"lookup.{of.name}",
        f"a hit of a usual value takes {format_seconds(hit)}, and the origin {format_seconds(of.traits.cost_p50)}: "
        f"with its cache, readers of {of.name} wait longer than without",
        judged="nothing",
    )


def needs_no_cache(of: OfLookup) -> Iterator[Suspicion]:
    """Keeping this look-up saves so little that it needs no cache."""
    traits = of.traits
    repeats = traits.answerable / max(traits.reads, 1)
    saveable = traits.saveable_time / max(of.facts.survey.total.origin_time, 1e-9)
    if not traits.reads or not of.facts.survey.total.origin_time or (repeats >= _LITTLE and saveable >= _LITTLE / 100):
        return
    yield Suspicion(
        "a look-up that needs no cache",
        f"lookup.{of.name}",
        f"{format_share(repeats)} of the reads of {of.name} repeat a key, and keeping it can save at most "
        f"{format_share(saveable)} of all origin time; it held {of.counts.entries_peak:,} entries",
        judged="nothing",
    )


ALL = (loaded_side_by_side, single_loads, cleared_again_and_again, reloaded_in_vain, hits_too_dear, needs_no_cache)
