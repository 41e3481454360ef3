"""Explains a pick in plain sentences."""

from vestigo.measures import MEASURES
from vestigo.rules.vary import name_of
from vestigo.study.candidates import Candidate
from vestigo.study.pick import Excess, Pick

_LONG = 3
"""So many changes make a name that is better not repeated."""


def sentences(pick: Pick) -> tuple[str, ...]:
    """The sentences: what to take, what gets better and worse, how sure that is, what the limits cost, and its
    neighbours.
    """
    if not pick.is_met:
        return (_sentence(pick),)
    return (_sentence(pick), *_what_changes(pick), *how_sure(pick), *neighbours(pick))


def _sentence(pick: Pick) -> str:
    """The pick, what it gives beside today's settings, and whether the rest confirms it."""
    if not pick.is_met:
        return (
            f"No candidate keeps the limits. The closest is {pick.candidate.name}: "
            f"{', '.join(_broken(one) for one in pick.broken)}."
        )
    own, today = (pick.write(pick.value(one)) for one in (pick.candidate, pick.among.today))
    limits = " within the limits" if pick.aim.limits else ""
    if pick.candidate.name == pick.among.today.name:
        return f"{_doubt(pick)}Today's settings are the best{limits}: {pick.goal} {own}."
    return (
        f"{_doubt(pick)}Take {pick.candidate.name}: {pick.goal} {own} instead of today's {today}, the best of "
        f"{_how_many(pick)}{limits}."
    )


def better_and_worse(pick: Pick) -> tuple[list[str], list[str]]:
    """The measures that the pick makes better than today's settings, and those that it makes worse. Measures that the
    trace cannot tell are left out.
    """
    better: list[str] = []
    worse: list[str] = []
    for name, what in MEASURES.items():
        own, today = pick.candidate.measure(name), pick.among.today.measure(name)
        if (what.of_staleness and not pick.among.stale_known) or what.write(own) == what.write(today):
            continue
        said = f"{what.label} {what.write(own)} (today {what.write(today)})"
        (better if (own > today) == what.more_is_better else worse).append(said)
    return better, worse


def _what_changes(pick: Pick) -> list[str]:
    if pick.candidate.name == pick.among.today.name:
        return []
    better, worse = better_and_worse(pick)
    lines = [f"Better than today: {', '.join(better)}."] if better else []
    return [*lines, f"Worse than today: {', '.join(worse)}." if worse else "Worse than today in no measure."]


def how_sure(pick: Pick) -> list[str]:
    """Whether the pick holds on time that was not used to find it, how clearly it wins, and what resamples give."""
    first, rest = pick.write(pick.value(pick.candidate, "first")), pick.write(pick.value(pick.candidate, "rest"))
    today = pick.write(pick.value(pick.among.today, "rest"))
    lines = [
        f"Chosen on the first part of the time ({first}); on the rest, which was not used to find it, {rest}, "
        f"today's {today}."
    ]
    best = pick.best_on_rest
    if best is not None and pick.cost(best, "rest") < pick.cost(pick.candidate, "rest"):
        amount = pick.write(pick.value(best, "rest"))
        lines.append(f"On the rest alone {_name(pick, best)} would be the best of those within the limits: {amount}.")
    if pick.runner_up is not None and pick.ahead is not None:
        ahead, of = pick.ahead
        other = _name(pick, pick.runner_up)
        lines.append(
            f"A clear winner: ahead of the runner-up, {other}, in {ahead:,} of {of:,} resamples."
            if 2 * ahead > of
            else f"No clear winner: the runner-up, {other}, is as good or better in {of - ahead:,} of {of:,} resamples."
        )
    spans = [
        f"{MEASURES[name].label} {MEASURES[name].write(low)} to {MEASURES[name].write(high)}"
        for name, (low, high) in pick.intervals.items()
    ]
    lines.append(f"19 of 20 resamples of the trace give {', '.join(spans)}.")
    return lines


def neighbours(pick: Pick) -> list[str]:
    """What the limits cost, and the candidates that are nearest to the pick."""
    lines = []
    for limit, candidate, _ in pick.relaxed:
        needs = MEASURES[limit.name].write(candidate.measure(limit.name, "first"))
        lines.append(
            f"If the limit {limit} were loosened to {needs}, {_name(pick, candidate)} would be admitted: {pick.goal} "
            f"{pick.write(pick.value(candidate))}."
        )
    if pick.cheaper is not None:
        lines.append(f"The best that takes less memory: {_shown(pick, pick.cheaper)}.")
    if pick.better is not None and pick.aim.limits:
        lines.append(f"The nearest that is better, beyond the limits: {_shown(pick, pick.better)}.")
    return lines


def _shown(pick: Pick, candidate: Candidate) -> str:
    memory = MEASURES["memory_peak"].write(candidate.measure("memory_peak"))
    return f"{_name(pick, candidate)}, {pick.goal} {pick.write(pick.value(candidate))}, memory peak {memory}"


def _name(pick: Pick, other: Candidate) -> str:
    """The name of a candidate, or, if that is as long as the pick's, what is different about it."""
    mine, theirs = pick.candidate.changes, other.changes
    if not theirs or mine.keys() != theirs.keys() or len(theirs) < _LONG:
        return other.name
    return f"the same with {name_of({key: value for key, value in theirs.items() if value != mine[key]})}"


def _doubt(pick: Pick) -> str:
    """The doubt that must be stated first, if there is one."""
    if pick.holds:
        return ""
    if pick.broken_on_rest:
        return f"This pick does not hold on the rest of the trace: {', '.join(map(_broken, pick.broken_on_rest))}. "
    return "This pick does not hold on the rest of the trace: today's settings are better there. "


def _broken(one: Excess) -> str:
    what = MEASURES[one.limit.name]
    return f"{what.label} {what.write(one.amount)}, and the limit is {one.limit.sign} {what.write(one.limit.bound)}"


def _how_many(pick: Pick) -> str:
    replayed, estimated = len(pick.among), len(pick.among.estimates)
    return f"{replayed:,} replayed of {estimated:,} candidates" if estimated else f"{replayed:,} candidates"
