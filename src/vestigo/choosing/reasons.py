"""Explains a pick in plain sentences."""

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Excess, Pick
from vestigo.measures import MEASURES, is_told, limited_measure
from vestigo.rules.plan_parts import ALWAYS_FRESH, KEEP_ALL
from vestigo.rules.vary import name_of
from vestigo.units import capitalised, counted, format_share

_CEILINGS = {"hit_rate": KEEP_ALL, "fresh_hit_rate": ALWAYS_FRESH}
"""For a measure, which ceiling bounds it."""
HELD_OUT = "Check on held-out time"
"""So the sentence begins that another recording makes superfluous."""
_LONG = 3
"""So many changes make a name that is better not repeated."""
_CLEAR = 0.95
"""In this share of the resamples a clear winner is ahead."""


def sentences(pick: Pick) -> tuple[str, ...]:
    """The sentences: what to take, how sure that is, how much better anything could be, what the limits cost, and its
    neighbours.
    """
    left_out = tuple(f"Note: {one}." for one in pick.among.left_out)
    if not pick.is_met:
        return (_sentence(pick), *left_out)
    if pick.is_alone:
        return (_sentence(pick), _resampled(pick), *left_out)
    most = ceiling(pick)
    no_more = [f"No settings give {pick.goal} above {most} unless they preload more."] if most is not None else []
    return (_sentence(pick), *on_bad_days(pick), *how_sure(pick), *no_more, *neighbours(pick), *left_out)


def on_bad_days(pick: Pick) -> list[str]:
    """How the pick keeps the limits of bad moments, and how many that are better in calm times do not."""
    if pick.bad_days is None:
        return []
    over = len(pick.bad_days.passed_over)
    others = f"; {counted(over, 'better one')} {'does' if over == 1 else 'do'} not" if over else ""
    return [f"In the busiest minute it keeps the limits of bad moments: {pick.bad_days.in_words}{others}."]


def _sentence(pick: Pick) -> str:
    """The pick, what it gives beside today's settings, and whether held-out time confirms the choice."""
    settings = pick.among.settings
    if not pick.is_met:
        broken = ", ".join(_broken(one) for one in pick.broken)
        if pick.is_alone:
            return f"Nothing else was tried, and {settings.words} break the limits over the whole time: {broken}."
        closest = f" is {_quoted(pick, pick.candidate)}" if has_name(pick.candidate) else ""
        return f"No candidate keeps the limits over the whole time. The closest{closest}: {broken}."
    own, today = (pick.amount_text(pick.value(one)) for one in (pick.candidate, pick.among.today))
    if pick.is_alone:
        return (
            f"Nothing else was tried, so there is nothing to choose from. {capitalised(settings.words)} give "
            f"{pick.goal} {own}. To compare others, state values to try under [vary] in the plan, or a "
            "[candidate.NAME]."
        )
    limits = " that keeps the limits" if pick.aim.each_limit else ""
    if pick.candidate.name == pick.among.today.name:
        best = f"are the best of {_how_many(pick)}{limits.replace('keeps', 'keep')}"
        return f"{_doubt(pick)}{capitalised(settings.words)} {best}: {pick.goal} {own}."
    what = f"{pick.goal} {own} ({settings.short} {today}), the best of {_how_many(pick)}{limits}."
    if has_name(pick.candidate):
        return f"{_doubt(pick)}Recommended: '{pick.candidate.name}'. {capitalised(what)}"
    return f"{_doubt(pick)}Recommended settings with {what}"


def has_name(candidate: Candidate) -> bool:
    """Whether its name can stand in a sentence. Another one lists all that it changes."""
    return not candidate.is_of_grid or len(candidate.changes) < _LONG


def ceiling(pick: Pick) -> str | None:
    """The amount of what is aimed at that no settings pass, if that is known."""
    name = pick.aim.best
    found = pick.among.references.get(_CEILINGS.get(name or "", ""))
    return pick.amount_text(found.measure(name)) if name is not None and found is not None else None


def better_and_worse(pick: Pick) -> tuple[list[str], list[str]]:
    """The measures that the pick makes better than today's settings, and those that it makes worse. Measures that the
    trace cannot tell are left out.
    """
    better: list[str] = []
    worse: list[str] = []
    for name, what in MEASURES.items():
        own, today = pick.candidate.measure(name), pick.among.today.measure(name)
        judged = what.better(own, today)
        if not judged or not is_told(name, pick.among):
            continue
        said = f"{what.label} {what.amount_text(own)} ({pick.among.settings.short} {what.amount_text(today)})"
        (better if judged > 0 else worse).append(said)
    return better, worse


def how_sure(pick: Pick) -> list[str]:
    """Whether the way of choosing holds on held-out time, how clearly the pick wins, and what resamples give."""
    return [_check(pick), *_winner(pick), _resampled(pick)]


def _check(pick: Pick) -> str:
    """What the same choice, made on the first part, gives on the rest."""
    chosen, _, best = pick.held_out
    begin = f"{HELD_OUT}: made on {first_part(pick)} alone, "
    if chosen is None:
        return f"{begin}the choice finds no candidate within the limits."

    def there(one: Candidate) -> str:
        return pick.amount_text(pick.value(one, "rest"))

    today = f"{pick.among.settings.short} there {there(pick.among.today)}"
    if chosen.name == pick.candidate.name:
        sentence = f"{begin}the choice would be the same. On the rest it gives {pick.goal} {there(chosen)} ({today})."
    else:
        sentence = (
            f"{begin}the choice would be {_quoted(pick, chosen)}. On the rest that gives {pick.goal} {there(chosen)} "
            f"({today}, the pick there {there(pick.candidate)})."
        )
    if best is None or best.name == chosen.name or pick.cost(best, "rest") >= pick.cost(chosen, "rest"):
        return sentence
    return f"{sentence} The best there within the limits is {_quoted(pick, best)}: {there(best)}."


def first_part(pick: Pick) -> str:
    """The part of the time on which the choice is made that is checked on the rest."""
    whole, first = pick.among.length_ns(), pick.among.length_ns("first")
    return f"the first {format_share(first / whole)} of the time" if first < whole else "the first part of the time"


def _winner(pick: Pick) -> list[str]:
    if pick.runner_up is None or pick.ahead is None:
        return []
    ahead, of = pick.ahead
    other = _quoted(pick, pick.runner_up)
    if ahead >= _CLEAR * of:
        return [f"A clear winner: ahead of the runner-up, {other}, in {ahead:,} of {of:,} resamples."]
    sentence = f"No clear winner: the runner-up, {other}, is as good or better in {of - ahead:,} of {of:,} resamples."
    mine, theirs = (one.measure("memory_peak") for one in (pick.candidate, pick.runner_up))
    if mine == theirs:
        return [f"{sentence} A longer recording can tell them apart."]
    which = "the runner-up" if theirs < mine else "the pick"
    less, more = map(MEASURES["memory_peak"].amount_text, sorted((mine, theirs)))
    return [
        f"{sentence} Take the one with less memory, {which} ({less}, not {more}), or record longer to tell them apart."
    ]


def _resampled(pick: Pick) -> str:
    spans = [
        f"{MEASURES[name].label} {MEASURES[name].amount_text(low)} to {MEASURES[name].amount_text(high)}"
        for name, (low, high) in pick.intervals.items()
    ]
    return f"19 of 20 resamples of the trace give {', '.join(spans)}."


def neighbours(pick: Pick) -> list[str]:
    """What the limits cost, and the candidates that are nearest to the pick."""
    lines = []
    for limit, candidate, _ in pick.relaxed:
        needs = MEASURES[limit.name].amount_text(candidate.measure(limit.name))
        lines.append(
            f"If the limit {limit} were loosened to {needs}, {_quoted(pick, candidate)} would be admitted: {pick.goal} "
            f"{pick.amount_text(pick.value(candidate))}."
        )
    if pick.cheaper is not None:
        lines.append(f"The best that takes less memory: {_shown(pick, pick.cheaper)}.")
    if pick.better is not None and pick.aim.each_limit:
        lines.append(f"Best candidate that breaks a limit: {_shown(pick, pick.better)}.")
    return lines


def _shown(pick: Pick, candidate: Candidate) -> str:
    memory = MEASURES["memory_peak"].amount_text(candidate.measure("memory_peak"))
    return f"{_quoted(pick, candidate)}, {pick.goal} {pick.amount_text(pick.value(candidate))}, memory peak {memory}"


def _quoted(pick: Pick, other: Candidate) -> str:
    """The name of a candidate, or, if that is as long as the pick's, what is different about it."""
    if other.name == pick.among.today.name:
        return pick.among.settings.words
    mine, theirs = pick.candidate.changes, other.changes
    if has_name(other) or mine.keys() != theirs.keys() or other.name == pick.candidate.name:
        return f"'{other.name}'"
    return f"the same with {name_of({key: value for key, value in theirs.items() if value != mine[key]})}"


def _doubt(pick: Pick) -> str:
    """The doubt that must be stated first, if there is one."""
    if pick.holds:
        return ""
    chosen, broken, _ = pick.held_out
    if chosen is None:
        return "This choice does not hold on held-out time: on the first part, no candidate keeps the limits. "
    what = "the pick" if chosen.name == pick.candidate.name else _quoted(pick, chosen)
    if broken:
        return (
            f"This choice does not hold on held-out time: made on the first part, it takes {what}, which breaks a "
            f"limit on the rest: {', '.join(map(_broken, broken))}. "
        )
    return (
        f"This choice does not hold on held-out time: made on the first part, it takes {what}, and on the rest "
        f"{pick.among.settings.words} are better. "
    )


def _broken(one: Excess) -> str:
    what = limited_measure(one.limit.name)
    limit = f"{one.limit.sign} {what.amount_text(one.limit.bound)}"
    return f"{what.label} {what.amount_text(one.amount)}, and the limit is {limit}"


def _how_many(pick: Pick) -> str:
    replayed, estimated = len(pick.among), len(pick.among.estimates)
    return f"{replayed:,} replayed of {estimated:,} candidates" if estimated else f"{replayed:,} candidates"
