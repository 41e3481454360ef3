"""``Rehearser``: rehearses candidates for the limits of an aim, from the best one down."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.rehearsing.moments import BadMoment, bad_moments
from vestigo.choosing.rehearsing.rehearsed import Rehearsed
from vestigo.choosing.rehearsing.stage import CALM, Stage
from vestigo.choosing.rehearsing.stands import Stands
from vestigo.engine.what_if import applied
from vestigo.rules import Plan
from vestigo.rules.aim import Limit
from vestigo.threads import side_by_side
from vestigo.trace import Trace

_MOST = 60
"""So many candidates are rehearsed at most."""
_NEVER_S = float("inf")


@dataclass
class Rehearser:
    """Rehearses on one trace. What was rehearsed is kept."""

    given: Trace
    plan: Plan
    """Today's settings, with the circumstances of all."""
    _known: dict[tuple[str, str], Rehearsed] = field(default_factory=dict, init=False)
    """By settings and moment."""

    def best(self, ranked: Iterable[Candidate], limits: Sequence[Limit], today: Candidate) -> Stands:
        """The first of some candidates that keeps the limits."""
        bounds = [limit.beside(self._amount(today, limit.name)) if limit.of_today else limit for limit in limits]
        passed: list[str] = []
        first: dict[str, float] = {}
        distinct: dict[str, Candidate] = {}
        for candidate in ranked:
            distinct.setdefault(_settings(candidate), candidate)
        for candidate in list(distinct.values())[:_MOST]:
            amounts = {limit.name: self._amount(candidate, limit.name) for limit in bounds}
            first = first or amounts
            if all(limit.allows(amounts[limit.name]) for limit in bounds):
                return Stands(candidate, tuple(bounds), amounts, tuple(passed))
            passed.append(candidate.name)
        return Stands(None, tuple(bounds), first, tuple(passed))

    def __reduce__(self) -> tuple[object, ...]:
        return _nothing, ()

    @cached_property
    def _stage(self) -> Stage:
        on, plan = applied(self.given, self.plan)
        return Stage.of(on, plan, None, None)

    @cached_property
    def _moments(self) -> dict[str, BadMoment]:
        return {one.name: one for one in bad_moments(self._stage.trace, self._stage.at_ns)}

    def _amount(self, candidate: Candidate, name: str) -> float:
        """What a limit asks for: of one moment, or the worst of all. A moment that the trace cannot have is nothing
        bad.
        """
        _, *moment, what = name.split(".")
        asked = [one for one in self._moments if not moment or one == moment[0]]
        return max((_told(one, what) for one in self._rehearsed(candidate, asked)), default=0.0)

    def _rehearsed(self, candidate: Candidate, names: Sequence[str]) -> list[Rehearsed]:
        settings = _settings(candidate)
        missing = [name for name in names if (settings, name) not in self._known]
        if missing:
            plan = applied(self.given, candidate.plan.under(self.plan))[1]
            moments = [CALM, *(self._moments[name] for name in missing)]
            with side_by_side() as threads:
                calm, *found = threads.map(lambda one: self._stage.replayed(plan, one), moments)
            for name, outcome in zip(missing, found, strict=True):
                told = self._stage.told(candidate.name, self._moments[name], outcome, calm)
                self._known[settings, name] = told
        return [self._known[settings, name] for name in names]


def _settings(candidate: Candidate) -> str:
    """The settings in words. A name can stand for others in the answer to another question."""
    return repr(candidate.plan.replayed_to_dict())


def _told(one: Rehearsed, what: str) -> float:
    if what == "recovery":
        return _NEVER_S if one.recovery is None else one.recovery
    return float(getattr(one, what))


def _nothing() -> None:
    """What a rehearser is after it was sent elsewhere: it would take its trace along."""
