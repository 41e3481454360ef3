"""The steps of a story, from the engine's log and from what the trace says of changes."""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from vestigo.explaining.why.story import Stay, Step
from vestigo.outcome.seen import Happening
from vestigo.prepared.truth import parts_with_truth
from vestigo.rules import Rules
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_VALUED

CAME = ("loaded", "written", "copied")
LEFT = ("expired", "evicted", "dropped", "cleared", "restarted", "superseded", "freed")
READS = ("hit", "stale hit", "joined", "failed", "missed")

_WHAT = {"stale_hit": "stale hit", "kept": "loaded", "load_failed": "load failed"}
_GONE = {
    "expirations": "expired",
    "evictions": "evicted",
    "drops": "dropped",
    "clears": "cleared",
    "superseded": "superseded",
}
_WITH_SPAN = ("missed", "reloaded", "stale_hit", "joined", "failed")
_WITH_ROW = ("missed", "reloaded", "hit", "stale_hit", "joined", "failed")


def steps_of(
    trace: Trace, rows: np.ndarray, rules: Rules, gives_up_ns: int, happenings: Iterable[Happening]
) -> list[Step]:
    """The steps of a key, whose `rows` tell of changes. Changes come before other steps of the same moment."""
    places = {"node": trace.nodes, "scope": trace.scopes, "all": ()}[rules.per]
    changes = list(_changes(trace, rows))
    steps = [(one.at, 1, _step(trace, places, rules, gives_up_ns, one)) for one in happenings]
    steps += [(one.at_ns, 0, one) for one in changes]
    ordered = [step for _, _, step in sorted(steps, key=lambda one: one[:2])]
    return [_by_whom(step, changes, int(rules.tell_delay)) for step in ordered]


def why_failed(read_time_ns: int, rules: Rules, gives_up_ns: int) -> str:
    """Why a read that took so long got no answer. Readers give up after `gives_up_ns`."""
    if read_time_ns == gives_up_ns:
        return "gave up"
    return "kept" if rules.keep_failures and read_time_ns == rules.hit_cost else "down"


def _step(trace: Trace, places: Sequence[object], rules: Rules, gives_up_ns: int, happening: Happening) -> Step:
    what = _WHAT.get(happening.what, happening.what)
    if happening.what == "left":
        what = _GONE.get(happening.counted_as) or ("restarted" if happening.why == "restarted" else "freed")
    cause = happening.why if what in ("missed", "expired") else None
    if what == "failed":
        cause = why_failed(happening.span, rules, gives_up_ns)
    came_or_left = what in CAME or what in LEFT
    return Step(
        at_ns=happening.at,
        where=str(places[happening.where]) if 0 <= happening.where < len(places) else None,
        what=what,
        until_ns=max(happening.at, happening.until),
        times=max(happening.times, 1),
        cause=cause,
        span_ns=happening.span if happening.what in _WITH_SPAN else None,
        waited_ns=happening.waited,
        since_ns=happening.since if came_or_left else None,
        bytes=happening.bytes if came_or_left else None,
        other=str(trace.keys[happening.other]) if happening.other >= 0 else None,
        event=happening.row if happening.what in _WITH_ROW and happening.row >= 0 else None,
    )


def rows_of(trace: Trace, key: int) -> np.ndarray:
    return np.flatnonzero(trace.key == key)


def _changes(trace: Trace, rows: np.ndarray) -> Iterator[Step]:
    """Every change of the value at the origin, as far as the rows of the key tell."""
    rows = rows[trace.op[rows] <= LAST_VALUED]
    if not len(rows):
        return
    own = trace.take(rows)
    stretches = np.concatenate([truth.stretch for _, truth in parts_with_truth(own)])
    for place in 1 + np.flatnonzero(np.diff(stretches)):
        op, node = Op(own.op[place]), int(own.node[place])
        at = int(own.at[place])
        how = {Op.WRITE: "write", Op.REMOVE: "remove"}.get(op, "seen")
        yield Step(at, trace.nodes[node] if node >= 0 else None, "changed", at, cause=how, event=int(rows[place]))


def _by_whom(step: Step, changes: Sequence[Step], delay_ns: int) -> Step:
    """The write that dropped or brought a value."""
    if step.what not in ("dropped", "written", "copied"):
        return step
    written = [one for one in changes if one.cause != "seen"]
    own = [one.where for one in written if one.at_ns == step.at_ns and one.where == step.where]
    news = [one.where for one in written if one.at_ns == step.at_ns - delay_ns and one.where != step.where]
    who = own or news
    return replace(step, other=who[-1] or "no node") if who else step


def stays_of(steps: Sequence[Step], rules: Rules, end_ns: int) -> list[Stay]:
    """From when to when a value was held at each place. `end_ns` is the time of the trace's last event."""
    changed = [one.at_ns for one in steps if one.what == "changed"]
    places = dict.fromkeys(one.where for one in steps if one.what in CAME)
    return [
        stay
        for where in places
        for stay in _stays([one for one in steps if one.where == where], changed, rules, end_ns)
    ]


def _stays(steps: Sequence[Step], changed: Sequence[int], rules: Rules, end_ns: int) -> Iterator[Stay]:
    """The same at one place."""
    came: Step | None = None
    used_ns = 0
    for step in [*steps, None]:
        if step is not None and step.what in ("hit", "stale hit"):
            used_ns = step.until_ns
        elif came is not None and (step is None or step.what in LEFT):
            yield _stay(came, used_ns, end_ns if step is None else step.at_ns, changed, rules)
            came = None
        if step is not None and step.what in CAME:
            came, used_ns = step, begins_ns(step, rules)


def begins_ns(came: Step, rules: Rules) -> int:
    """When the lifetimes of a value begin."""
    return came.at_ns if rules.lifetime_from == "stored" else came.loaded_ns


def _stay(came: Step, used_ns: int, ends_ns: int, changed: Sequence[int], rules: Rules) -> Stay:
    loaded_ns = came.loaded_ns
    first = bisect_right(changed, loaded_ns)
    stale = changed[first] if first < len(changed) and changed[first] <= ends_ns else None
    lifetimes = [begins_ns(came, rules) + rules.absolute] if rules.absolute is not None else []
    lifetimes += [used_ns + rules.sliding] if rules.sliding is not None else []
    expired = max(min(lifetimes), used_ns) if lifetimes else ends_ns
    return Stay(
        came.where,
        came.at_ns,
        ends_ns,
        None if stale is None else max(stale, came.at_ns),
        expired if expired < ends_ns else None,
    )


def held_ns(stays: Sequence[Stay], from_ns: int) -> int:
    """How long values were held at all places together, from a moment on."""
    return sum(max(0, one.ends_ns - max(one.begins_ns, from_ns)) for one in stays)
