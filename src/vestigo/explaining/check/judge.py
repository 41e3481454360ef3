"""Judges whether a suspicion is a mistake, by a replay of the fixed plan."""

from collections.abc import Sequence

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.explaining.check.findings import Mistake, gain, relief
from vestigo.explaining.check.mistakes.suspicion import Suspicion
from vestigo.rules import Aim
from vestigo.rules.vary import place_of

_LEAST_GAIN = 0.001
"""In parts of the aim's amount."""
_LEAST_CALLS_SAVED = 0.001
_SURGE_LEFT, _CALLS_LEFT = 0.8, 0.8
_HALF_LEFT = 0.5
_LEAST_RELIEF = 0.1
"""In parts of a limit that today's settings break."""
_AIM_FOR_CALM, _AIM_FOR_YOUTH, _AIM_FOR_RELIEF = 0.02, 0.05, 0.02
"""So much of the aim a calmer second, younger answers, and a limit that is broken less, may take."""
_DOWN = {"surge": ("surge.second", _SURGE_LEFT, _AIM_FOR_CALM), "false_nulls": ("false_nulls", _HALF_LEFT, _LEAST_GAIN)}
"""What must become how much less, and how much of the aim that may take."""


def judged(candidates: Candidates, aim: Aim, suspected: Suspicion, names: Sequence[str]) -> Mistake | None:
    """The mistake, if replays show one. `names` are the candidates with its fixes."""
    if suspected.judged == "nothing":
        changes = suspected.fixes[0] if suspected.fixes else {}
        return Mistake(suspected.kind, suspected.where, suspected.evidence, changes, names[0] if names else None, 0.0)
    good = [candidates[name] for name in names if _is_better(candidates, aim, suspected, candidates[name])]
    if not good:
        return None
    best = max(good, key=lambda one: (gain(candidates, aim, one), -one.measure("loads")))
    evidence = suspected.evidence
    if suspected.meant and good[0].changes == suspected.fixes[0]:
        best, evidence = good[0], f"{evidence}{suspected.meant}"
    return Mistake(
        suspected.kind,
        suspected.where,
        evidence,
        best.changes,
        best.name,
        max(gain(candidates, aim, best), 0.0),
    )


def _is_better(candidates: Candidates, aim: Aim, suspected: Suspicion, fixed: Candidate) -> bool:
    today, better = candidates.today, gain(candidates, aim, fixed)

    def less(name: str) -> float:
        return today.measure(name) - fixed.measure(name)

    match suspected.judged:
        case "surge" | "false_nulls" as what:
            name, part, price = _DOWN[what]
            return fixed.measure(name) <= part * today.measure(name) and better > -price
        case "calls":
            return less("loads") > max(less("hits"), _LEAST_CALLS_SAVED * today.measure("loads"))
        case "age" | "shared calls":
            _, name, _ = place_of(suspected.where)
            now, then = (one.lookups[name] for one in (today, fixed))
            if suspected.judged == "shared calls":
                return bool(then.loads <= _CALLS_LEFT * now.loads)
            younger = then.answer_age(100) <= _HALF_LEFT * now.answer_age(100)
            return bool(younger and (better > -_AIM_FOR_YOUTH or not candidates.stale_known))
        case "no worse":
            return better >= 0
    return better > _LEAST_GAIN or (relief(candidates, aim, fixed) >= _LEAST_RELIEF and better > -_AIM_FOR_RELIEF)
