"""``Search``: what a search found, and the answers to other questions about it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import prod

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.choose import bad_days, broken_by, settled
from vestigo.choosing.finding.answers import FOUND, NEARLY_ALL, Answers
from vestigo.choosing.finding.reasons import sentences, tightest
from vestigo.choosing.front import unbeaten
from vestigo.choosing.pick import HeldOut, Pick, Relaxed, cost, excesses
from vestigo.choosing.proof import OnTheClock, WouldBring
from vestigo.choosing.resample import Resamples
from vestigo.choosing.sweep import FRONT, Sweep
from vestigo.data import Told
from vestigo.measures import MEASURES
from vestigo.rules import Aim
from vestigo.rules.aim import Limit
from vestigo.units import counted

_LOOSER = 1.25
_EQUAL = 1e-9
"""What differs less is the same."""
_STEPS_OF_FRONT = 16


@dataclass(frozen=True, eq=False, repr=False)
class Search(Sweep):
    """What a search found: today's settings, the plan's candidates, ``found`` for the plan's aim, and what is best
    within less memory, all replayed whole. Other aims and limits are answered from what was tried.

    A search that was read back from a file knows its candidates, and chooses among these.
    """

    tried: Mapping[str, int] = field(default_factory=dict)
    """How many settings of each look-up (or of look-ups that share a pool) were tried."""
    by_memory: tuple[str, ...] = ()
    """The candidates that are best within so much memory, the most first."""
    would_bring: tuple[WouldBring, ...] = ()
    """What kinds of rules that were not asked for would bring."""
    clocks: tuple[OnTheClock, ...] = ()
    """The look-ups whose values change on the clock."""
    answers: Answers | None = field(default=None, compare=False)

    @property
    def combinations(self) -> int:
        """How many combinations of what was tried there are."""
        return prod(self.tried.values())

    def _chosen(self, aim: Aim, seed: int) -> Pick:
        if self.answers is None:
            return super()._chosen(aim, seed)
        aim = settled(aim, self)
        found = self.answers.recommended(aim)
        named = [one for one in self.answers.among.values() if not excesses(self, one, aim.each_limit)]
        best = min(named, key=lambda one: cost(self, aim, one), default=None)
        if best is not None and (found is None or cost(self, aim, best) < found.least - _EQUAL * abs(found.least)):
            candidate, proof = best, None
        elif found is not None:
            candidate, proof = found.candidate if found.candidate.changes else self.today, found.proof
        else:
            nearest = self.answers.nearest(aim.each_limit)
            pick = Pick(self, aim, nearest, tuple(excesses(self, nearest, aim.each_limit)))
            return replace(pick, because=sentences(pick, NEARLY_ALL))
        stands = None
        if aim.rehearsed:
            within = [one for one in self.values() if not excesses(self, one, aim.each_limit)]
            ranked = [candidate, *sorted(within, key=lambda one: cost(self, aim, one))]
            stands = bad_days(self.rehearser, ranked, aim, self.today)
            if stands.candidate is None:
                pick = Pick(self, aim, candidate, broken_by(stands), bad_days=stands)
                return replace(pick, because=sentences(pick, NEARLY_ALL))
            candidate, proof = stands.candidate, proof if stands.candidate is candidate else None
        resamples = Resamples(len(candidate.of_slices["reads"]), seed)
        rates = ("hit_rate", "fresh_hit_rate", "stale_rate") if self.stale_known else ("hit_rate",)
        pick = Pick(
            self,
            aim,
            candidate,
            broken=(),
            held_out=self._held_out(aim),
            intervals={name: resamples.interval(candidate, name) for name in rates},
            relaxed=tuple(self._relaxed(aim, candidate)),
            proof=proof,
            bad_days=stands,
        )
        return replace(pick, because=sentences(pick, NEARLY_ALL, found.least if found is not None else None))

    def _held_out(self, aim: Aim) -> HeldOut:
        """The same choice on the first part of the time, among the same attempts, judged on the rest."""
        assert self.answers is not None
        chosen = self.answers.on_first(aim)
        best = self.answers.best("best on the rest", aim, aim.each_limit, "rest")
        broken = tuple(excesses(self, chosen, aim.each_limit, "rest")) if chosen else ()
        return HeldOut(chosen, broken, best.candidate if best else None)

    def _relaxed(self, aim: Aim, pick: Candidate) -> list[Relaxed]:
        """What each limit costs: what the aim would reach within a quarter more."""
        assert self.answers is not None
        relaxed = []
        limits = tightest(aim.each_limit)
        for limit in limits:
            others = [other for other in limits if other is not limit]
            looser = limit.beside(self.today.measure(limit.name))
            looser = looser._replace(bound=looser.bound * (_LOOSER if limit.sign == "<=" else 1 / _LOOSER))
            found = self.answers.best(f"within {looser}", aim, [*others, looser])
            if found is not None and (gain := cost(self, aim, pick) - cost(self, aim, found.candidate)) > 0:
                relaxed.append(Relaxed(looser, found.candidate, gain))
        return relaxed

    def front(self, measures: Sequence[str] = FRONT, part: str = "whole") -> list[Candidate]:
        """The best trade-offs, best in the first measure first.

        For two measures they come from all combinations of what was tried: the best of the first one within ever less
        (or more) of the second one. For more than two they are those among the candidates.
        """
        if self.answers is None or len(measures) != 2 or part != "whole":
            return super().front(measures, part)
        tried = tuple(map(len, self.answers.attempts.lists))
        known = self.answers.fronts.get(tuple(measures))
        if known is None or known[0] != tried:
            known = self.answers.fronts[tuple(measures)] = tried, self._steps_of_front(self.answers, *measures)
        return unbeaten([*self.values(), *known[1]], measures)

    def _steps_of_front(self, answers: Answers, best: str, within: str) -> list[Candidate]:
        aim = Aim(most=best) if MEASURES[best].more_is_better else Aim(least=best)
        freest = answers.best(f"best {MEASURES[best].label}", aim, [])
        if freest is None:
            return []
        end, sign = freest.candidate.measure(within), ">=" if MEASURES[within].more_is_better else "<="
        bounds = [end * step / _STEPS_OF_FRONT for step in range(_STEPS_OF_FRONT - 1, 0, -1)]
        steps = (answers.best(str(limit), aim, [limit]) for limit in (Limit(within, sign, one) for one in bounds))
        return [freest.candidate, *(one.candidate for one in steps if one)]

    def told(self) -> Told:
        """What the search found besides its pick, as plain data."""
        return {
            "tried": dict(self.tried),
            "by_memory": {name: self[name].whole.to_dict() for name in self.by_memory},
            "would_bring": [one._asdict() for one in self.would_bring],
            "clocks": [one._asdict() for one in self.clocks],
        }

    def to_dict(self) -> Told:
        """The candidates, the ceilings, and what else was found."""
        return {**super().to_dict(), **self.told()}

    def __repr__(self) -> str:
        best = self[FOUND] if FOUND in self.candidates else self.today
        many = counted(sum(self.tried.values()), "setting")
        return f"<Search: {many} tried, {self.combinations:.2g} combinations; {best!r}>"
