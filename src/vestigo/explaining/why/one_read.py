"""Explains one read in one sentence."""

from collections.abc import Sequence
from dataclasses import dataclass

from vestigo.explaining.why.steps import CAME, LEFT, READS, begins_ns, why_failed
from vestigo.explaining.why.story import Step
from vestigo.outcome.seen import NO_AGE
from vestigo.rules import Rules
from vestigo.units import SECOND, Duration, counted, format_bytes, format_seconds, format_time


@dataclass(frozen=True)
class OneRead:
    """What the engine tells of a read."""

    event: int
    """Its row in the trace."""
    at_ns: int
    where: str | None
    answer: str
    cause: str | None
    read_time_ns: int
    age_ns: int
    stale_age_ns: int
    null: bool
    gives_up_ns: int
    """How long a reader waits at most."""


def explained(read: OneRead, steps: Sequence[Step], rules: Rules, limit: str) -> str:
    """The sentence. `steps` are those of the key, and `limit` says how its room is limited."""
    place = f" on {read.where}" if read.where else ""
    before = _before(read, [one for one in steps if one.where == read.where and one.what != "changed"])
    if read.answer == "hit":
        return f"At {format_time(read.at_ns)}{place}: {_hit(read, before, steps, rules)}."
    if read.answer == "joined":
        loading = _last(before, ("missed", "reloaded"))
        since = f", which began at {format_time(loading.at_ns, read.at_ns)}" if loading else ""
        stale = f"; its value was {_span(read.stale_age_ns)} stale" if read.stale_age_ns != NO_AGE else ""
        return (
            f"At {format_time(read.at_ns)}{place}: joined a load under way{since}, and waited "
            f"{_span(read.read_time_ns)} for it{stale}."
        )
    if read.answer == "failed":
        return f"At {format_time(read.at_ns)}{place}: failed: {_why_failed(read, rules)}."
    took = f"the load took {_span(read.read_time_ns)}{_waited(read, steps)}"
    nothing = ", and the origin had nothing" if read.null else ""
    why = _why(read, before, rules, limit)
    return f"At {format_time(read.at_ns)}{place}: missed ({read.cause}): {why}; {took}{nothing}."


def _why_failed(read: OneRead, rules: Rules) -> str:
    match why_failed(read.read_time_ns, rules, read.gives_up_ns):
        case "gave up":
            return f"it gave up after `give_up = {Duration(read.gives_up_ns)}`; its load went on"
        case "kept":
            return f"an earlier load had failed, and `keep_failures = {rules.keep_failures}` keeps that"
    return f"the origin was away, and it knew that after {_span(read.read_time_ns)}"


def _waited(read: OneRead, steps: Sequence[Step]) -> str:
    waited = next((one.waited_ns for one in steps if one.event == read.event and one.what == "missed"), 0)
    return f", of which it waited {_span(waited)} for the origin" if waited else ""


def _before(read: OneRead, steps: Sequence[Step]) -> Sequence[Step]:
    """What happened at its place up to the read, or up to the first of the row of reads to which it belongs."""
    reads = [
        place
        for place, one in enumerate(steps)
        if one.what in READS and one.event is not None and one.event <= read.event
    ]
    return steps[: reads[-1]] if reads else []


def _hit(read: OneRead, before: Sequence[Step], steps: Sequence[Step], rules: Rules) -> str:
    came = _last(before, CAME)
    what = "nothing" if read.null else "a value"
    loaded_ns = read.at_ns - read.age_ns
    how = {"written": "written", "copied": "copied from another node's write"}.get(came.what if came else "", "loaded")
    answered = f"answered with {what} {_span(read.age_ns)} old, {how} at {format_time(loaded_ns, read.at_ns)}"
    ends = _ends(read, begins_ns(came, rules) if came else loaded_ns, rules)
    if read.stale_age_ns == NO_AGE:
        return f"{answered}, and not changed since{ends}"
    changed_ns = read.at_ns - read.stale_age_ns
    change = next((one for one in steps if one.what == "changed" and one.at_ns == changed_ns), None)
    reason = _reason(change, came, read, rules)
    return f"{answered}, but changed at {format_time(changed_ns, read.at_ns)}{reason}{ends}"


def _reason(change: Step | None, came: Step | None, read: OneRead, rules: Rules) -> str:
    """The reason why a change did not end the entry."""
    if change is None:
        return ""
    if change.cause == "seen":
        return "; the trace shows the change only at this or another read, so no rule on writes can act on it"
    by = f" by a {change.cause} on {change.where}" if change.where else f" by a {change.cause}"
    if came is not None and came.at_ns > change.at_ns:
        return f"{by}, while the value was being loaded; the load came in after it"
    if change.where == read.where or rules.per != "node":
        return f'{by}; `on_write = "{rules.on_write}"` leaves the old value there'
    if rules.tell_nodes == "nothing":
        return f"{by}; `on_write` acts only on the writer's node, and `tell_nodes` tells no other"
    return f"{by}; the news of it takes `tell_delay = {rules.tell_delay}`"


def _ends(read: OneRead, begins_ns: int, rules: Rules) -> str:
    """When the rules would have ended the entry, whose lifetimes began at a time."""
    ends = []
    lifetime = rules.nulls.lifetime if read.null and rules.nulls.lifetime else rules.absolute
    if lifetime is not None:
        name = "nulls" if read.null and rules.nulls.lifetime else "absolute"
        ends.append((begins_ns + lifetime, f"`{name} = {Duration(lifetime)}`"))
    if rules.sliding is not None:
        ends.append((read.at_ns + rules.sliding, f"without more hits `sliding = {rules.sliding}`"))
    if not ends:
        return "; no lifetime ends it"
    at_ns, rule = min(ends)
    if at_ns <= read.at_ns:
        ended = f"; {rule} ended it at {format_time(at_ns, read.at_ns)}"
        if read.at_ns < at_ns + rules.serve_stale:
            return f"{ended}, and `serve_stale = {rules.serve_stale}` serves it on"
        on_failure = f"`serve_on_failure = {rules.serve_on_failure}`"
        return f"{ended}, and {on_failure} gave it after {_span(read.read_time_ns)}, because the origin did not answer"
    return f"; {rule} ends it at {format_time(at_ns, read.at_ns)}"


def _why(read: OneRead, before: Sequence[Step], rules: Rules, limit: str) -> str:  # noqa: PLR0911, PLR0912  # one line a cause
    gone, came = _last(before, LEFT), _last(before, CAME)
    gone_at = format_time(gone.at_ns, read.at_ns) if gone else "an earlier time"
    match read.cause:
        case "first":
            return "nothing had loaded this key before"
        case "elsewhere":
            place = {"node": "node", "scope": "scope"}.get(rules.per, "place")
            return f"the key had been loaded before, but not on this {place}"
        case "evicted" if gone:
            for_whom = f" for {gone.other}" if gone.other else ""
            idle = _span(gone.idle_ns)
            return f"it was evicted at {gone_at}{for_whom}, {idle} after its last use; the room is limited to {limit}"
        case "aged" if came:
            loaded = format_time(came.loaded_ns, read.at_ns)
            return f"its value, loaded at {loaded}, had ended by `{_absolute(rules)}`"
        case "idle":
            return f"it had not been used for `sliding = {rules.sliding}`"
        case "fixed_time":
            return f"its value had ended by `absolute_at = {rules.absolute_at}`"
        case "dropped":
            who = f" by a write on {gone.other}" if gone and gone.other else ""
            return f"it was dropped at {gone_at}{who}"
        case "cleared":
            return f"it was cleared at {gone_at}"
        case "restarted":
            return "it was lost in a restart"
        case "null":
            return f'the origin had had nothing, and `nulls = "{rules.nulls}"` gives no answer from that'
        case "refused":
            return (
                "its value was not kept when it came in last: it was too large, or `keep_if` or `when_full` refused it"
            )
        case "forced":
            return (
                "callers drop the entry first (`drop_first`)"
                if rules.drop_first
                else "the caller asked for a fresh value"
            )
        case "loading":
            return 'another reader was loading it already, and `overlap = "repeat"` lets each load'
    return "its entry was not there"


def _absolute(rules: Rules) -> str:
    return f"absolute = {rules.absolute}" if rules.absolute is not None else f"nulls = {rules.nulls}"


def _last(steps: Sequence[Step], kinds: Sequence[str]) -> Step | None:
    return next((one for one in reversed(steps) if one.what in kinds), None)


def _span(span_ns: int) -> str:
    return format_seconds(span_ns / SECOND)


def room_in_words(max_entries: int | None, max_bytes: int | None) -> str:
    said = [counted(max_entries, "entry", "entries")] if max_entries is not None else []
    said += [format_bytes(max_bytes)] if max_bytes is not None else []
    return " and ".join(said) or "nothing"
