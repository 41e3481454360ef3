"""What to do about a look-up, in one sentence with its numbers."""

from dataclasses import dataclass

from vestigo.data import InNotebooks
from vestigo.describing.traits import Traits
from vestigo.units import format_bytes, format_seconds, format_share

WORTH = "worth keeping"
WITHIN_REQUEST = "only within a request"
ONLY_NULLS = "only nulls"
FIX_ORIGIN = "not worth it, fix the origin instead"
TOO_FAST = "changes faster than it is read"
TOO_LITTLE = "not worth it"
FIX_KEYS = "fix its keys first"

MOSTLY = 0.8
"""So much of what could be saved must be of one kind for that to be all there is to keep."""
SELDOM = 0.2
"""If no larger share of its reads can be answered with a true value, a look-up is not worth keeping."""
SMALL = 0.005
"""No larger a share of all origin time is worth a cache of its own."""
HEAVY = 0.05
"""So much of all origin time makes a look-up worth a faster origin."""


@dataclass(frozen=True)
class Verdict(InNotebooks):
    kind: str
    sentence: str


def verdict(traits: Traits, total: Traits, narrow: str | None = None) -> Verdict:
    """The verdict on a look-up. If the trace gives no costs, reads count in place of time. `narrow` says what makes the
    keys too narrow, if anything does. In that case the repeats say little.
    """
    kind = _kind(traits, total)
    if narrow is not None and kind in (FIX_ORIGIN, TOO_LITTLE):
        return Verdict(FIX_KEYS, f"{FIX_KEYS}: {narrow}")
    return Verdict(kind, f"{kind}: {_reason(kind, traits, total)}")


def saved_share(traits: Traits, total: Traits) -> float:
    """The share of all origin time, or of all reads, that keeping this look-up could save."""
    if total.origin_time:
        return traits.saveable_time / total.origin_time
    return traits.fresh_answerable / max(total.reads, 1)


def _share(one: Traits, total: Traits) -> float:
    return one.origin_time / total.origin_time if total.origin_time else one.reads / max(total.reads, 1)


def _kind(traits: Traits, total: Traits) -> str:
    if traits.answerable_share >= SELDOM and traits.fresh_answerable < SELDOM * traits.answerable:
        return TOO_FAST
    if traits.fresh_answerable_share < SELDOM:
        return FIX_ORIGIN if _share(traits, total) >= HEAVY else TOO_LITTLE
    if saved_share(traits, total) < SMALL:
        return TOO_LITTLE
    if traits.null_answerable >= MOSTLY * traits.fresh_answerable:
        return ONLY_NULLS
    if traits.scope_answerable >= MOSTLY * traits.fresh_answerable:
        return WITHIN_REQUEST
    return WORTH


def _reason(kind: str, traits: Traits, total: Traits) -> str:
    repeats = _repeats(traits)
    saved = f"{format_share(saved_share(traits, total))} of all {'origin time' if total.origin_time else 'reads'}"
    if kind == TOO_FAST:
        return (
            f"{format_share(traits.answerable_share)} of its reads repeat a key, but only "
            f"{format_share(traits.fresh_answerable_share)} find a value that was there before, "
            f"with {_per_change(traits)}"
        )
    if kind == FIX_ORIGIN:
        spent = f"{format_share(_share(traits, total))} of all origin time, {format_seconds(traits.cost_p50)} a read"
        return f"{'only ' if traits.fresh_answerable else ''}{repeats}, yet it takes {spent}"
    if kind == TOO_LITTLE:
        return f"{repeats}, which is {saved}"
    if kind == ONLY_NULLS:
        of_these = traits.null_answerable / traits.fresh_answerable
        created = f"{traits.null_keys_created:,} of {traits.null_keys:,} such keys had a value later"
        return f"{repeats} ({saved}), and {format_share(of_these)} of these find nothing; {created}"
    if kind == WITHIN_REQUEST:
        within = traits.scope_answerable / traits.fresh_answerable
        return f"{repeats} ({saved}), and {format_share(within)} of these within one request"
    nulls = (
        f"; {format_share(traits.null_share)} find nothing, so keep nulls too" if traits.null_share >= SELDOM else ""
    )
    return (
        f"{repeats} ({saved}); half of all repeats come within {format_seconds(traits.gap_p50)}, all values take "
        f"{format_bytes(traits.size_of_all)}{nulls}"
    )


def _repeats(traits: Traits) -> str:
    """How many reads a cache could answer, with the value that is true then."""
    share = format_share(traits.fresh_answerable_share)
    if not traits.fresh_answerable:
        return "no read repeats a value"
    if not traits.changes_known:
        return f"{share} of its reads repeat a key; the trace does not tell whether its value was unchanged"
    if traits.fresh_answerable - traits.fresh_repeats < SELDOM * traits.fresh_answerable:
        return f"{share} of its reads ask for a value that was there before"
    unchanged = f"only {format_share(traits.fresh_repeat_share)} find" if traits.fresh_repeats else "none finds"
    return (
        f"{share} of its reads ask for a value that was there before, but {unchanged} it unchanged since the read "
        'before: the others take writes that put the new value into the cache (on_write = "replace")'
    )


def _per_change(one: Traits) -> str:
    return f"{one.reads_per_change:.1f} reads a change"
