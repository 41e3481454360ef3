"""Explains what a search found, in plain sentences."""

from collections.abc import Sequence
from math import floor, log10

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Excess, Pick, written
from vestigo.choosing.proof import Proof
from vestigo.choosing.reasons import HELD_OUT, ceiling, first_part, on_bad_days
from vestigo.measures import MEASURES, limited_measure
from vestigo.rules import Aim
from vestigo.rules.aim import Limit
from vestigo.units import capitalised, format_share


def sentences(pick: Pick, nearly_all: float, found: float | None = None) -> tuple[str, ...]:
    """What to take, how good that is, whether it holds on held-out time, and what the limits cost. `found` is what the
    search found for the aim, if a candidate of the plan is better. Without a limit on memory, `nearly_all` of what is
    best is enough.
    """
    if not pick.is_met:
        broken = ", ".join(_broken(one) for one in pick.broken)
        return (f"Nothing that was tried keeps the limits over the whole time. The closest breaks {broken}.",)
    good = _how_good(pick, nearly_all, found)
    return (_what(pick), good, *on_bad_days(pick), _check(pick), _resampled(pick), *_limits(pick))


def how_many(number: int) -> str:
    """A number that may be very large, for people.

    >>> how_many(1_234), how_many(1_402_000_000_000_000)
    ('1,234', '1.4 x 10^15')
    """
    if number < 10**6:
        return f"{number:,}"
    power = floor(log10(number))
    return f"{number / 10**power:.1f} x 10^{power}"


def _what(pick: Pick) -> str:
    settings, is_today = pick.among.settings, pick.candidate.name == pick.among.today.name
    before = next(iter(pick.among.references.values())) if settings.is_nothing else pick.among.today
    own, then = (pick.amount_text(pick.value(one)) for one in (pick.candidate, before))
    within = [str(limit) for limit in tightest(pick.aim.each_limit)]
    limits = f", within {' and '.join(within)}" if within else ""
    if is_today:
        return (
            f"{capitalised(settings.words)} {'is' if settings.is_nothing else 'are'} best: {pick.goal} {own}{limits}."
        )
    beside = f"{'no cache' if settings.is_nothing else settings.short} {then}"
    which = "Found settings" if pick.proof is not None else f"The plan's candidate '{pick.candidate.name}' is best,"
    return f"{which} with {pick.goal} {own} ({beside}){limits}."


def tightest(limits: Sequence[Limit]) -> list[Limit]:
    """The limits without those that another one of the same measure makes idle."""

    def is_idle(one: Limit) -> bool:
        others = [other for other in limits if (other.name, other.sign) == (one.name, one.sign) and other is not one]
        return any(other.bound != one.bound and one.allows(other.bound) for other in others)

    return [limit for limit in limits if not is_idle(limit)]


def _how_good(pick: Pick, nearly_all: float, found: float | None) -> str:
    """The bound of the solver, and the ceiling."""
    if pick.proof is None:
        best = [f"What varies gives {pick.amount_text(abs(found))} at best"] if found is not None else []
        return f"{capitalised('; '.join([*best, *_no_more(pick)]))}."
    said = f"{'; '.join([nothing_beats(pick.proof, pick.aim), *_no_more(pick)])}."
    has_all = pick.amount_text(pick.value(pick.candidate)) == pick.amount_text(pick.proof.reached)
    if has_all or any(limit.name == "memory_peak" for limit in pick.aim.each_limit):
        return said
    return f"{said} These settings take the least memory that has {format_share(nearly_all)} of that."


def _no_more(pick: Pick) -> list[str]:
    most = ceiling(pick)
    return [f"no settings give more than {most} unless they preload more"] if most is not None else []


def nothing_beats(proof: Proof, aim: Aim) -> str:
    """How good the best of what was tried is, without a full stop."""
    if proof.combinations == 1:
        return "Nothing else could be tried"
    most = "more" if aim.best and MEASURES[aim.best].more_is_better else "less"
    tried = f"in any of {how_many(proof.combinations)} combinations"
    return f"Nothing else that was tried, {tried}, gives {most} than {written(aim, proof.bound)}"


def _check(pick: Pick) -> str:
    """What the same choice, made on the first part, gives on the rest."""
    chosen, broken, best = pick.held_out
    begin = f"{HELD_OUT}: chosen among the same settings on {first_part(pick)} alone, "
    if chosen is None:
        return f"{begin}nothing keeps the limits."

    def there(one: Candidate) -> str:
        return pick.amount_text(pick.value(one, "rest"))

    others = [f"{pick.among.settings.short} there {there(pick.among.today)}"]
    others += [f"the best there {there(best)}"] if best is not None else []
    breaks = f", and break {', '.join(_broken(one) for one in broken)}" if broken else ""
    return f"{begin}the settings give {pick.goal} {there(chosen)} on the rest ({', '.join(others)}){breaks}."


def _resampled(pick: Pick) -> str:
    told = [name for name in pick.intervals if name == pick.aim.best] or list(pick.intervals)
    spans = [
        f"{MEASURES[name].label} {' to '.join(map(MEASURES[name].amount_text, pick.intervals[name]))}" for name in told
    ]
    return f"19 of 20 resamples of the trace give {', '.join(spans)}."


def _limits(pick: Pick) -> list[str]:
    """What each limit costs."""
    return [
        f"Within {limit}, {pick.goal} would be {pick.amount_text(pick.value(candidate))}."
        for limit, candidate, gain in pick.relaxed
        if pick.amount_text(pick.value(candidate)) != pick.amount_text(pick.value(pick.candidate))
    ]


def _broken(excess: Excess) -> str:
    return f"{excess.limit} ({limited_measure(excess.limit.name).amount_text(excess.amount)})"


def gain_text(pick: Pick, gain: float) -> str:
    """A gain of the aim for people: shares in points."""
    what = MEASURES[pick.aim.best] if pick.aim.best is not None else None
    amount = f"{gain * 100:.2f} points" if what is not None and what.kind == "share" else pick.amount_text(gain)
    return f"{amount} {'more' if what is not None and what.more_is_better else 'less'}"
