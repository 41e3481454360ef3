"""``Sweep.choose``: the best candidate within limits, what the limits cost, and whether this way of choosing holds on
held-out time.
"""

from collections.abc import Sequence
from dataclasses import replace

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.pick import Excess, HeldOut, Pick, Relaxed, cost, excesses
from vestigo.choosing.reasons import sentences
from vestigo.choosing.rehearsing.rehearser import Rehearser
from vestigo.choosing.rehearsing.stands import Stands
from vestigo.choosing.resample import Resamples
from vestigo.errors import InputError
from vestigo.measures import MEASURES, is_told
from vestigo.rules import Aim


def choose(candidates: Candidates, aim: Aim, seed: int, rehearser: Rehearser | None = None) -> Pick:
    """Ranks candidates on all the counted time, and makes the same choice on the first part alone, to see what that
    gives on the rest. Raises InputError for an aim that the trace cannot judge.
    """
    aim = settled(aim, candidates)
    if not candidates.today.of_slices["reads"]:
        raise InputError(f"{candidates.source or 'the trace'}: holds no events, so there is nothing to choose by")
    pick = _pick(candidates, aim, seed, rehearser)
    return replace(pick, because=sentences(pick))


def _pick(candidates: Candidates, aim: Aim, seed: int, rehearser: Rehearser | None) -> Pick:
    def of_aim(one: Candidate) -> float:
        return cost(candidates, aim, one)

    def farthest(one: Candidate) -> float:
        return max(each.share for each in excesses(candidates, one, aim.each_limit))

    ranked = _ranked(candidates, aim)
    beyond = [one for one in ranked if excesses(candidates, one, aim.each_limit)]
    within = [one for one in ranked if not excesses(candidates, one, aim.each_limit)]
    if not within:
        nearest = min(ranked, key=farthest)
        return Pick(candidates, aim, nearest, tuple(excesses(candidates, nearest, aim.each_limit)))
    stands = bad_days(rehearser, within, aim, candidates.today) if aim.rehearsed else None
    if stands is not None and stands.candidate is None:
        return Pick(candidates, aim, within[0], broken_by(stands), bad_days=stands)
    pick = within[0] if stands is None or stands.candidate is None else stands.candidate
    runner_up = next((one for one in within[within.index(pick) + 1 :] if one.of_slices != pick.of_slices), None)
    resamples = Resamples(len(pick.of_slices["reads"]), seed)
    less = pick.measure("memory_peak")
    rates = ("hit_rate", "fresh_hit_rate", "stale_rate") if candidates.stale_known else ("hit_rate",)
    return Pick(
        candidates,
        aim,
        pick,
        broken=(),
        held_out=_held_out(candidates, aim),
        runner_up=runner_up,
        ahead=resamples.ahead(pick, runner_up, aim.best) if runner_up else None,
        intervals={name: resamples.interval(pick, name) for name in rates},
        relaxed=tuple(_relaxed(candidates, aim, ranked, pick)),
        cheaper=next((one for one in within if one.measure("memory_peak") < less), None),
        bad_days=stands,
        better=min((one for one in beyond if of_aim(one) < of_aim(pick)), key=farthest, default=None),
    )


def bad_days(rehearser: Rehearser | None, ranked: Sequence[Candidate], aim: Aim, today: Candidate) -> Stands:
    """The best of some candidates that keeps the limits of bad moments. Raises InputError if nothing can be
    rehearsed.
    """
    if rehearser is None:
        raise InputError(
            "aim: limits of bad moments (rehearsed.) need the trace; sweep or search again, instead of reading results"
        )
    return rehearser.best(ranked, aim.rehearsed, today)


def broken_by(stands: Stands) -> tuple[Excess, ...]:
    """The limits of bad moments that the best one in calm times breaks."""
    each = [Excess(limit, stands.amounts[limit.name]) for limit in stands.limits]
    return tuple(one for one in each if not one.limit.allows(one.amount))


def _ranked(found: Candidates, aim: Aim, part: str = "whole") -> list[Candidate]:
    """The best at the aim first. Of equals, the one that takes less memory."""
    return sorted(found.values(), key=lambda one: (cost(found, aim, one, part), one.measure("memory_peak", part)))


def _best_within(found: Candidates, aim: Aim, part: str) -> Candidate | None:
    return next((one for one in _ranked(found, aim, part) if not excesses(found, one, aim.each_limit, part)), None)


def _held_out(found: Candidates, aim: Aim) -> HeldOut:
    chosen = _best_within(found, aim, "first")
    broken = tuple(excesses(found, chosen, aim.each_limit, "rest")) if chosen else ()
    return HeldOut(chosen, broken, _best_within(found, aim, "rest"))


def settled(aim: Aim, candidates: Candidates) -> Aim:
    """The aim in a form that can be judged. Raises InputError if it is about staleness and the trace shows no
    changes, or about failures and waits and no origin is stated.
    """
    if not candidates.stale_known and aim.is_usual:
        aim = Aim(most="hit_rate", limits=aim.limits)
    asked = [name for name in (aim.best, *(limit.name for limit in aim.each_limit)) if name]
    unknown = [MEASURES[name] for name in asked if not is_told(name, candidates)]
    if unknown:
        stale = any(one.of_staleness for one in unknown)
        why = candidates.staleness_unknown if stale else "nothing is stated of the origin; write [origin] in the plan"
        named = " and ".join(dict.fromkeys(one.label for one in unknown if one.of_staleness == stale))
        raise InputError(f"aim: {named} cannot be judged: {why}")
    return aim


def _relaxed(candidates: Candidates, aim: Aim, ranked: Sequence[Candidate], pick: Candidate) -> list[Relaxed]:
    """For each limit, the candidate that is better than the pick, breaks only this limit, and breaks it least."""
    here, relaxed = cost(candidates, aim, pick), []
    for limit in aim.each_limit:
        others = [other for other in aim.each_limit if other is not limit]
        better = [one for one in ranked if cost(candidates, aim, one) < here and not excesses(candidates, one, others)]
        broken = [(one, excesses(candidates, one, [limit])) for one in better]
        beyond = [
            (excess[0].share, cost(candidates, aim, one), number)
            for number, (one, excess) in enumerate(broken)
            if excess
        ]
        if beyond:
            one = better[min(beyond)[2]]
            relaxed.append(Relaxed(limit, one, here - cost(candidates, aim, one)))
    return relaxed
