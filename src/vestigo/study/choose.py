"""``Sweep.choose``: the best candidate within limits, what the limits cost, and whether the rest confirms
the choice.
"""

from collections.abc import Sequence
from dataclasses import replace

from vestigo.errors import InputError
from vestigo.measures import MEASURES
from vestigo.rules import Aim
from vestigo.study.candidates import Candidate, Candidates
from vestigo.study.pick import Pick, Relaxed, cost, excesses
from vestigo.study.reasons import sentences
from vestigo.study.resample import Resamples


def choose(found: Candidates, aim: Aim, seed: int) -> Pick:
    """Ranks candidates on the first part, and confirms the choice on the rest. Raises InputError for an aim that the
    trace cannot judge.
    """
    if aim.best is None and aim.worth is None:
        raise InputError("aim: no measure is named, and no worth; name the measure to make best")
    aim = settled(aim, found)
    if not found.today.result["slices"]["reads"]:
        raise InputError(f"{found.source or 'the trace'}: holds no events, so there is nothing to choose by")
    pick = _pick(found, aim, seed)
    return replace(pick, because=sentences(pick))


def _pick(found: Candidates, aim: Aim, seed: int) -> Pick:
    def of_aim(one: Candidate, part: str = "first") -> float:
        return cost(found, aim, one, part)

    def farthest(one: Candidate) -> float:
        return max(each.share for each in excesses(found, one, aim.limits, "first"))

    candidates = list(found.values())
    ranked = sorted(candidates, key=lambda one: (of_aim(one), one.measure("memory_peak", "first")))
    within = [one for one in ranked if not excesses(found, one, aim.limits, "first")]
    if not within:
        nearest = min(ranked, key=farthest)
        return Pick(found, aim, nearest, tuple(excesses(found, nearest, aim.limits, "first")))
    pick = within[0]
    runner_up = next((one for one in within[1:] if one.result["slices"] != pick.result["slices"]), None)
    resamples = Resamples(len(pick.result["slices"]["reads"]), seed)
    within_on_rest = [one for one in candidates if not excesses(found, one, aim.limits, "rest")]
    less = pick.measure("memory_peak", "first")
    rates = ("hit_rate", "fresh_hit_rate", "stale_rate") if found.stale_known else ("hit_rate",)
    return Pick(
        found,
        aim,
        pick,
        broken=(),
        broken_on_rest=tuple(excesses(found, pick, aim.limits, "rest")),
        best_on_rest=min(within_on_rest, key=lambda one: of_aim(one, "rest"), default=None),
        runner_up=runner_up,
        ahead=resamples.ahead(pick, runner_up, aim.best) if runner_up else None,
        intervals={name: resamples.interval(pick, name) for name in rates},
        relaxed=tuple(_relaxed(found, aim, ranked, pick)),
        cheaper=next((one for one in within if one.measure("memory_peak", "first") < less), None),
        better=min((one for one in ranked if of_aim(one) < of_aim(pick)), key=farthest, default=None),
    )


def settled(aim: Aim, found: Candidates) -> Aim:
    """The aim in a form that can be judged. Raises InputError if it is about staleness and the trace shows no
    changes.
    """
    if found.stale_known:
        return aim
    if aim.is_usual:
        aim = Aim("hit_rate", aim.bounds, aim.worth)
    asked = [name for name in (aim.best, *(limit.name for limit in aim.limits)) if name]
    if unknown := [MEASURES[name].label for name in asked if MEASURES[name].of_staleness]:
        raise InputError(f"aim: {' and '.join(dict.fromkeys(unknown))} cannot be judged: {found.staleness_unknown}")
    return aim


def _relaxed(found: Candidates, aim: Aim, ranked: Sequence[Candidate], pick: Candidate) -> list[Relaxed]:
    """For each limit, the candidate that is better than the pick, breaks only this limit, and breaks it least."""
    here, relaxed = cost(found, aim, pick, "first"), []
    for limit in aim.limits:
        others = [other for other in aim.limits if other is not limit]
        beyond = [
            (each[0].share, -(here - cost(found, aim, one, "first")), number)
            for number, one in enumerate(ranked)
            if cost(found, aim, one, "first") < here
            and not excesses(found, one, others, "first")
            and (each := excesses(found, one, [limit], "first"))
        ]
        if beyond:
            one = ranked[min(beyond)[2]]
            relaxed.append(Relaxed(limit, one, here - cost(found, aim, one, "first")))
    return relaxed
