"""Why this one: a pick in plain sentences."""

from typing import TYPE_CHECKING

from vestigo.rules.aim import MEASURES
from vestigo.rules.vary import name_of

if TYPE_CHECKING:
    from vestigo.study.choose import Excess, Pick
    from vestigo.study.study import Candidate

_LONG = 3
"""So many changes make a name that is better not repeated."""


def sentence(pick: "Pick") -> str:
    """The pick, what it gives beside today's settings, and whether that holds."""
    if not pick.is_met:
        return (
            f"No candidate keeps the limits. The closest is {pick.candidate.name}: "
            f"{', '.join(_broken(one) for one in pick.broken)}."
        )
    own, today = (pick.write(pick.value(one)) for one in (pick.candidate, pick.study.today))
    limits = " within the limits" if pick.aim.limits else ""
    if pick.candidate is pick.study.today:
        return f"{_doubt(pick)}Today's settings are the best{limits}: {pick.goal} {own}."
    return (
        f"{_doubt(pick)}Take {pick.candidate.name}: {pick.goal} {own} instead of today's {today}, the best of "
        f"{_how_many(pick)}{limits}{_paid(pick)}."
    )


def details(pick: "Pick") -> list[str]:
    """How sure it is, what the limits cost, and what stands beside it."""
    if not pick.is_met:
        return []
    return [*_how_sure(pick), *_neighbours(pick)]


def _how_sure(pick: "Pick") -> list[str]:
    first, rest = pick.write(pick.value(pick.candidate, "first")), pick.write(pick.value(pick.candidate, "rest"))
    today = pick.write(pick.value(pick.study.today, "rest"))
    lines = [
        f"Chosen on the first part of the time ({first}); on the rest, which was not used to find it, {rest}, "
        f"today's {today}."
    ]
    best = pick.best_on_rest
    if best is not None and pick.cost(best, "rest") < pick.cost(pick.candidate, "rest"):
        amount = pick.write(pick.value(best, "rest"))
        lines.append(f"On the rest alone {_told(pick, best)} would be the best of those within the limits: {amount}.")
    if pick.runner_up is not None and pick.ahead is not None:
        ahead, of = pick.ahead
        lines.append(f"Ahead of the runner-up, {_told(pick, pick.runner_up)}, in {ahead:,} of {of:,} resamples.")
    spans = [
        f"{name} {MEASURES[name].write(low)} to {MEASURES[name].write(high)}"
        for name, (low, high) in pick.intervals.items()
    ]
    lines.append(f"19 of 20 resamples of the trace give {', '.join(spans)}.")
    return lines


def _neighbours(pick: "Pick") -> list[str]:
    lines = []
    for limit, candidate, _ in pick.relaxed:
        needs = MEASURES[limit.name].write(candidate.measure(limit.name, "first"))
        lines.append(
            f"The limit {limit} costs: with {needs} {_told(pick, candidate)} would give {pick.goal} "
            f"{pick.write(pick.value(candidate))}."
        )
    if pick.cheaper is not None:
        lines.append(f"Nearest that takes less memory: {_shown(pick, pick.cheaper)}.")
    if pick.better is not None and pick.aim.limits:
        lines.append(f"Nearest that is better, beyond the limits: {_shown(pick, pick.better)}.")
    return lines


def _shown(pick: "Pick", candidate: "Candidate") -> str:
    memory = MEASURES["memory_peak"].write(candidate.measure("memory_peak"))
    return f"{_told(pick, candidate)}, {pick.goal} {pick.write(pick.value(candidate))}, memory_peak {memory}"


def _told(pick: "Pick", other: "Candidate") -> str:
    """Its name, or where that is as long as the pick's, what is different about it."""
    mine, theirs = pick.candidate.changes, other.changes
    if not theirs or mine.keys() != theirs.keys() or len(theirs) < _LONG:
        return other.name
    return f"the same with {name_of({key: value for key, value in theirs.items() if value != mine[key]})}"


def _doubt(pick: "Pick") -> str:
    """What must be said first."""
    if pick.holds:
        return ""
    if pick.broken_on_rest:
        return f"This pick does not hold on the rest of the trace: {', '.join(map(_broken, pick.broken_on_rest))}. "
    return "This pick does not hold on the rest of the trace: today's settings are better there. "


def _broken(one: "Excess") -> str:
    what = MEASURES[one.limit.name]
    return f"{one.limit.name} is {what.write(one.amount)}, and the limit {one.limit.sign} {what.write(one.limit.bound)}"


def _how_many(pick: "Pick") -> str:
    replayed, estimated = len(pick.study), len(pick.study.estimates)
    return f"{replayed:,} replayed of {estimated:,} candidates" if estimated else f"{replayed:,} candidates"


def _paid(pick: "Pick") -> str:
    """What else is different: memory, staleness, origin calls."""
    own, today = pick.candidate, pick.study.today
    paid = [
        f"{name} {MEASURES[name].write(own.measure(name))} (today {MEASURES[name].write(today.measure(name))})"
        for name in ("memory_peak", "stale_rate", "loads")
        if name != pick.aim.best and own.measure(name) != today.measure(name)
    ]
    return f"; {', '.join(paid)}" if paid else ""
