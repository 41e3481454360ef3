"""Judges whether a suspicion is a mistake, by a replay of the mended plan."""

from collections.abc import Sequence

from vestigo.rules import Aim
from vestigo.rules.vary import place_of
from vestigo.study.candidates import Candidate, Candidates
from vestigo.study.check.mistakes import Suspicion
from vestigo.study.check.result import Mistake, gain, relief

_LEAST_GAIN = 0.001
"""In parts of the aim's amount."""
_FEWER_CALLS = 0.001
_CALMER = 0.8
_LESS = 0.5
_RELIEF = 0.1
"""In parts of a limit that today's settings break."""
_FOR_CALM, _FOR_YOUTH, _FOR_RELIEF = 0.02, 0.05, 0.02
"""So much of the aim a calmer second, younger answers, and a limit that is broken less, may take."""


def judged(found: Candidates, aim: Aim, suspected: Suspicion, names: Sequence[str]) -> Mistake | None:
    """The mistake, if replays show one. `names` are the candidates with its mends."""
    if suspected.judged == "nothing":
        changes = suspected.mends[0] if suspected.mends else {}
        return Mistake(suspected.kind, suspected.where, suspected.evidence, changes, names[0] if names else None, 0.0)
    good = [found[name] for name in names if _is_better(found, aim, suspected, found[name])]
    if not good:
        return None
    best = max(good, key=lambda one: (gain(found, aim, one), -one.measure("loads")))
    return Mistake(
        suspected.kind,
        suspected.where,
        suspected.evidence,
        best.changes,
        best.name,
        max(gain(found, aim, best), 0.0),
    )


def _is_better(found: Candidates, aim: Aim, suspected: Suspicion, mended: Candidate) -> bool:
    today, better = found.today, gain(found, aim, mended)

    def less(name: str) -> float:
        return today.measure(name) - mended.measure(name)

    match suspected.judged:
        case "surge":
            return mended.measure("surge.second") <= _CALMER * today.measure("surge.second") and better > -_FOR_CALM
        case "calls":
            return less("loads") > max(less("hits"), _FEWER_CALLS * today.measure("loads"))
        case "false_nulls":
            return mended.measure("false_nulls") <= _LESS * today.measure("false_nulls") and better > -_LEAST_GAIN
        case "age":
            _, lookup, _ = place_of(suspected.where)
            before, after = (one.result["whole"]["lookups"][lookup]["answer_age"]["max"] for one in (today, mended))
            return bool(after <= _LESS * before and (better > -_FOR_YOUTH or not found.stale_known))
        case "no worse":
            return better >= 0
    return better > _LEAST_GAIN or (relief(found, aim, mended) >= _RELIEF and better > -_FOR_RELIEF)
