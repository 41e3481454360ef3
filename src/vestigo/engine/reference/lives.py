"""What rules say of a single value: whether it is kept, whether it answers, how long it lives."""

from bisect import bisect_right
from typing import NamedTuple

from vestigo.engine.groups import Group
from vestigo.engine.reference.draw import STEP, draw_below, mix
from vestigo.engine.reference.pool import Entry
from vestigo.engine.reference.rows import Row, Value
from vestigo.errors import RulesError
from vestigo.rules import Rules
from vestigo.rules import Value as AskedValue
from vestigo.trace import Trace

CAUSES = ("aged", "idle", "fixed_time")
"""Why an entry expires; of a tie, the first."""


def keeps_nulls(rules: Rules) -> bool:
    return rules.nulls.mode != "skip"


def hides(rules: Rules, entry: Entry) -> bool:
    """Whether the caller cannot tell the entry from "not in the cache"."""
    return entry.value.is_null and rules.nulls.mode == "blind"


def lives_from(rules: Rules, loaded_at: int, stored_at: int) -> int:
    """When the lifetimes of a value begin."""
    return stored_at if rules.lifetime_from == "stored" else loaded_at


class Turn(NamedTuple):
    """Which value it is of those that a compartment keeps."""

    key: int
    compartment: int
    kept: int
    """How many of the key's values were kept there before."""


def ages_at(rules: Rules, value: Value, begins: int, turn: Turn) -> int | None:
    """When the absolute lifetime of a value ends."""
    if value.is_null and rules.nulls.lifetime is not None:
        return begins + rules.nulls.lifetime
    if rules.absolute is None:
        return None
    varies = int(rules.absolute * rules.jitter)
    place = mix(mix(turn.key + STEP) + turn.compartment * STEP)
    return begins + rules.absolute - draw_below(mix(place + turn.kept * STEP), varies + 1)


def fixed_at(group: Group, begins: int) -> int | None:
    """The first fixed time after the lifetimes began."""
    place = bisect_right(group.expires_at, begins)
    return int(group.expires_at[place]) if place < len(group.expires_at) else None


def deadline(rules: Rules, entry: Entry) -> tuple[int, str] | None:
    """When the first of its lifetimes ends, and which lifetime that is."""
    idle_at = None if rules.sliding is None else entry.used_at + rules.sliding
    ends = [(at, order) for order, at in enumerate((entry.ages_at, idle_at, entry.fixed_at)) if at is not None]
    if not ends:
        return None
    at, order = min(ends)
    return at, CAUSES[order]


def expiry(rules: Rules, entry: Entry, now: int) -> str | None:
    """The lifetime that ended first, if any has ended. At its deadline an entry is expired."""
    end = deadline(rules, entry)
    return end[1] if end and end[0] <= now else None


def may_serve(rules: Rules, entry: Entry, now: int) -> bool:
    """Whether the entry is live, or expired so recently that the rules still serve it."""
    end = deadline(rules, entry)
    return end is None or now < end[0] + rules.serve_stale


def serves_on_failure(rules: Rules, entry: Entry, now: int) -> bool:
    """Whether a reader that would fail is given an expired entry."""
    end = deadline(rules, entry)
    return end is not None and now < end[0] + rules.serve_on_failure and not hides(rules, entry)


def reloads(rules: Rules, entry: Entry, now: int) -> bool:
    """Whether a hit starts a reload ahead of the expiry."""
    if rules.reload_after is None or entry.ages_at is None:
        return False
    return now >= entry.lives_from + int((entry.ages_at - entry.lives_from) * rules.reload_after)


def collected_at(rules: Rules, entry: Entry, start: int, now: int) -> int | None:
    """When the entry is collected if nobody touches it. `start` is the time of the trace's first event."""
    end = deadline(rules, entry)
    if end is None or rules.collect.mode == "touch":
        return None
    served = 0 if hides(rules, entry) else max(rules.serve_stale, rules.serve_on_failure)
    at = max(end[0] + served, now)
    if every := rules.collect.every:
        at = start + -((start - at) // every) * every
    return at


def passes(group: Group, trace: Trace, row: Row, value: Value) -> bool:
    """Raises RulesError if a function of the user's fails."""
    condition = group.rules.keep_if
    if condition is None:
        return True
    size, cost = row.size or 0, row.cost or 0
    if condition.own is None:
        return group.passes and condition.passes(size, cost)
    offered = AskedValue(trace.lookups[row.lookup], str(trace.keys[row.key]), size, cost, not value.is_null)
    try:
        answer = condition.own(offered)
    except Exception as error:
        raise RulesError(
            f"keep_if: {condition} raised {type(error).__name__}: {error}, asked about {offered}; correct the function"
        ) from error
    if not isinstance(answer, bool):
        raise RulesError(f"keep_if: {condition} gave {answer!r}, asked about {offered}; give True or False")
    return answer
