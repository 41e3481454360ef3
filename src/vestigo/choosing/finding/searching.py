"""The rounds of a search: solve, try what is near to the best, until that brings no more.

Attempts come where the linear program takes some, or where the prices of the limits say that another setting would pay
(columns by price: G. B. Dantzig, P. Wolfe, "Decomposition principle for linear programs", 1960; H. Everett, 1963).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from vestigo.choosing.finding import moves
from vestigo.choosing.finding.answers import Answers
from vestigo.choosing.finding.attempts import Setting
from vestigo.choosing.finding.ladders import FINEST
from vestigo.choosing.finding.questions import PEAK, Asked, Questions
from vestigo.rules import Aim
from vestigo.rules.aim import Limit

_SMALLER, _SMALLER_IF_LONG = (1, 2, 4, 8, 16, 32), (1, 4, 16)
"""The search also looks for the best within so many times less memory, so that other limits can be answered."""
_ENOUGH = 1e-3
"""A round that brings less than this share of what is aimed at is the last one on its level of the ladders."""
_MOST_ROUNDS = 12
_LONG = 2_000_000


@dataclass
class Searching:
    """A search at work."""

    answers: Answers
    aim: Aim
    limits: tuple[Limit, ...]
    """With their bounds as numbers."""
    was_stopped: bool = False

    def run(self) -> None:
        """Tries settings until more bring no more, there is no more time, or on Ctrl-C."""
        try:
            for wanted in self._rounds():
                if not self.answers.attempts.make(wanted) and self.answers.attempts.is_over:
                    return
        except KeyboardInterrupt:
            self.was_stopped = True

    def _rounds(self) -> Iterator[list[list[Setting]]]:
        """What to try in each round."""
        bases = self.answers.attempts.now
        whole = [moves.every(offers, base) for offers, base in zip(self.answers.offers, bases, strict=True)]
        yield [
            list(moves.first(offers, base, self._is_long)) if every is None else every
            for offers, base, every in zip(self.answers.offers, bases, whole, strict=True)
        ]
        open_units = [every is None for every in whole]
        if not any(open_units):
            return
        level, before = 0, self._reached()
        for round_ in range(_MOST_ROUNDS):
            tried = sum(self.answers.attempts.tried)
            yield self._near(level, open_units, is_first=round_ == 0)
            now = self._reached()
            if sum(self.answers.attempts.tried) == tried or before - now <= _ENOUGH * max(abs(now), 1e-9):
                level += 1
            if level > FINEST or self.answers.attempts.is_over:
                return
            before = now

    @property
    def _is_long(self) -> bool:
        """Whether each attempt takes so long that fewer must do."""
        return len(self.answers.attempts.trace) > _LONG

    def _reached(self) -> float:
        """What the aim costs at least by what was tried."""
        return self.answers.questions.reached(Asked(self.aim, self.limits))

    def _near(self, level: int, open_units: Sequence[bool], is_first: bool) -> list[list[Setting]]:
        """Settings near to those that are best within the limits, or within less memory."""
        questions = self.answers.questions
        of_views = [questions.near(asked) for asked in self._views(questions)]
        wanted: list[list[Setting]] = []
        for number, offers in enumerate(self.answers.offers):
            best = {
                id(attempt): attempt for view in of_views for attempt in view[number] if open_units[number]
            }.values()
            now = self.answers.attempts.now[number]
            useful = [one for one in offers if is_first or one.is_ordered or moves.is_used(one, best, now)]
            near = (moves.near(useful, one.setting, level, one.alone.whole.evictions > 0) for one in best)
            wanted.append([setting for each in near for setting in each])
        return wanted

    def _views(self, questions: Questions) -> Iterator[Asked]:
        """The question itself, or what comes nearest to it, and the same within less memory."""
        asked = Asked(self.aim, self.limits)
        if questions.relaxed(asked) is None:
            asked = questions.loosened(asked)
        yield asked
        others = tuple(limit for limit in asked.limits if limit.name != PEAK)
        stated = [limit.bound for limit in asked.limits if limit.name == PEAK]
        most = min(stated) if stated else questions.peak(asked)
        smaller = _SMALLER_IF_LONG if self._is_long else _SMALLER
        for times in smaller[1:] if stated else smaller:
            yield asked._replace(limits=(*others, Limit(PEAK, "<=", most / times)))
