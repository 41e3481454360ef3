"""``Answers``: answers to questions about what was tried. What they recommend was replayed as a whole."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from vestigo.choosing.candidates import PARTS, Candidate, Candidates
from vestigo.choosing.finding.attempts import Attempt, Attempts
from vestigo.choosing.finding.offers import Offer
from vestigo.choosing.finding.questions import PEAK, Asked, Questions
from vestigo.choosing.finding.trimming import Trimming
from vestigo.choosing.pick import MONTH_NS, excesses
from vestigo.choosing.proof import ChangeWorth, Proof
from vestigo.choosing.results import replayed
from vestigo.engine.job import job
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Plan
from vestigo.rules.aim import Limit

FOUND = "found"
"""The name of the candidate that is recommended."""
NEARLY_ALL = 0.99
"""Of what the aim reaches without a limit on memory, so much is enough where no limit is stated."""
_MOST_TIMES = 6
_TIGHTER = 1.02


class Found(NamedTuple):
    """A choice that was replayed as a whole."""

    candidate: Candidate
    attempts: tuple[Attempt, ...]
    asked: Asked
    cost: float
    """Of the aim, negated if more of it is better."""


class Recommended(NamedTuple):
    """What is recommended for an aim, and how good it is."""

    candidate: Candidate
    proof: Proof
    least: float
    """What the best choice costs."""


@dataclass(frozen=True, eq=False)
class Answers:
    """What was tried on a trace, and what answers need besides."""

    attempts: Attempts
    offers: Sequence[Sequence[Offer]]
    among: Candidates
    """Today's settings and the plan's candidates."""
    stated: Plan
    """Today's settings as they were stated."""
    first_share: float
    """Of the counted slices of time: those of the first part."""
    known: dict[str, Recommended | None] = field(default_factory=dict)
    """What was recommended for an aim."""
    fronts: dict[tuple[str, ...], tuple[tuple[int, ...], list[Candidate]]] = field(default_factory=dict)
    """For two measures, the steps of their front, and how many attempts there were."""
    asked_of: dict[tuple[int, ...], Questions] = field(default_factory=dict)
    """The latest questions, by how many attempts there were."""

    @property
    def questions(self) -> Questions:
        """What can be asked about all that was tried by now."""
        tried = tuple(map(len, self.attempts.lists))
        if tried not in self.asked_of:
            self.asked_of.clear()
            self.asked_of[tried] = self.questions_about([[*each] for each in self.attempts.lists])
        return self.asked_of[tried]

    def questions_about(self, lists: Sequence[Sequence[Attempt]]) -> Questions:
        """What can be asked about some attempts of each unit."""
        months = {part: self.among.length_ns(part) / MONTH_NS for part in PARTS}
        return Questions(lists, self.among.today, self.first_share, months)

    def recommended(self, aim: Aim) -> Recommended | None:
        """What to take. None if nothing was found that keeps the limits. It is worked out once for an aim."""
        name = repr(aim)
        if name not in self.known:
            self.known[name] = self._recommended(aim)
        return self.known[name]

    def on_first(self, aim: Aim) -> Candidate | None:
        """What the same choice takes on the first part of the time. None if nothing keeps the limits there."""
        best = self.best("found on the first", aim, aim.each_limit, "first")
        return best and self._settled(best).candidate

    def _recommended(self, aim: Aim) -> Recommended | None:
        best = self.best(FOUND, aim, aim.each_limit)
        if best is None:
            return None
        found = self._settled(best)
        worth = self._trimming(best.asked).worth(found.attempts)
        return Recommended(found.candidate, self._proof(best, worth), best.cost)

    def within(self, name: str, aim: Aim, limits: Sequence[Limit]) -> Recommended | None:
        """The best within limits without changes that bring nothing, also where no limit on memory is stated."""
        best = self.best(name, aim, limits)
        return best and Recommended(self._trimmed(best).candidate, self._proof(best), best.cost)

    def _proof(self, best: Found, worth: tuple[ChangeWorth, ...] = ()) -> Proof:
        below = self.questions.best(best.asked._replace(from_below=True))
        bound = below.bound if below is not None else best.cost
        return Proof(self.attempts.combinations, abs(bound), abs(best.cost), worth)

    def _settled(self, best: Found) -> Found:
        """In less memory if no limit on it is stated, and without changes that bring nothing."""
        return self._trimmed(self._leaner(best) or best)

    def _trimmed(self, found: Found) -> Found:
        kept = self._trimming(found.asked).trimmed(found.attempts)
        candidate = self.candidate(found.candidate.name, kept)
        if excesses(self.among, candidate, found.asked.limits, found.asked.part):
            return found
        return found._replace(candidate=candidate, attempts=kept)

    def _trimming(self, asked: Asked) -> Trimming:
        return Trimming(self.attempts, self.offers, self.questions, asked)

    def best(self, name: str, aim: Aim, limits: Sequence[Limit], part: str = "whole") -> Found | None:
        """The best choice within limits on a part of the time. None if none was found that keeps them.

        What units give alone tells most measures exactly, and a few nearly. Where the whole breaks a limit after all,
        that limit is tightened, and the choice is made again.
        """
        questions = self.questions
        exact = tuple(limit.beside(self.among.today.measure(limit.name, part)) for limit in limits)
        asked = Asked(aim, exact, part)
        for _ in range(_MOST_TIMES):
            choice = questions.best(asked)
            if choice is None:
                return None
            attempts = questions.attempts(choice)
            candidate = self.candidate(name, attempts)
            broken = excesses(self.among, candidate, exact, part)
            if not broken:
                return Found(candidate, attempts, asked._replace(limits=exact), choice.cost)
            by = {one.limit.name: abs(one.amount - one.limit.bound) * _TIGHTER for one in broken}
            asked = asked._replace(limits=tuple(_tighter(limit, by) for limit in asked.limits))
        return None

    def nearest(self, limits: Sequence[Limit]) -> Candidate:
        """The choice that comes nearest to limits that none keeps."""
        questions = self.questions
        exact = [limit.beside(self.among.today.measure(limit.name)) for limit in limits]
        return self.candidate("nearest", questions.attempts(questions.nearest(exact)))

    def _leaner(self, best: Found) -> Found | None:
        """Where no limit on memory is stated: the choice that takes least memory of those that reach nearly as much."""
        aim = best.asked.aim
        if any(limit.name == PEAK for limit in best.asked.limits) or aim.best in (None, PEAK):
            return None
        assert aim.best is not None
        reached = best.candidate.measure(aim.best, best.asked.part)
        more = MEASURES[aim.best].more_is_better
        nearly = Limit(aim.best, ">=" if more else "<=", reached * NEARLY_ALL if more else reached / NEARLY_ALL)
        limits = [*best.asked.limits, nearly]
        return self.best(best.candidate.name, Aim(least=PEAK), limits, best.asked.part)

    def candidate(self, name: str, attempts: Iterable[Attempt]) -> Candidate:
        """A choice, replayed as a whole."""
        changes = {key: value for attempt in attempts for key, value in attempt.changes.items()}
        work = self.attempts
        kept = replayed(job(work.trace, work.plan.changed(changes)), name, work.split_ns)
        return Candidate.made(name, changes, self.stated.changed(changes), kept)


def _tighter(limit: Limit, by: dict[str, float]) -> Limit:
    more = by.get(limit.name, 0.0)
    return limit._replace(bound=limit.bound - more if limit.sign == "<=" else limit.bound + more)
