"""``BestWithin``: what is best within limits, for who turns the limits by hand."""

from collections.abc import Iterator, Mapping
from pathlib import Path
from threading import Lock
from typing import NamedTuple

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.choose import settled
from vestigo.choosing.finding.answers import Answers, Recommended
from vestigo.choosing.finding.found import Search
from vestigo.choosing.finding.ladders import SIZES
from vestigo.choosing.finding.search import search
from vestigo.choosing.pick import cost
from vestigo.rules import Aim, Plan
from vestigo.rules.aim import Limit
from vestigo.stopping import Once, check, holding
from vestigo.threads import one_at_a_time
from vestigo.trace import Trace

TURNED = ("memory_peak", "stale_rate")
"""What can be limited by hand. What else the plan limits holds always."""
_LEAST_SHARE = 1 / 128
"""The line of the best ends at this share of the memory that the best have without a limit on it."""

Limits = Mapping[str, str]
"""The most of a measure, as users write it: ``{"memory_peak": "16 MiB"}``. What is not there has no limit."""


class Tried(NamedTuple):
    """How far the search is."""

    done: int
    wanted: int


class BestWithin:
    """A search, and what it knows to be best within limits.

    The search begins with `find`, which whoever serves answers calls in a thread of its own. It takes one core, so that
    replays that somebody waits for have the others.

    >>> from vestigo import synth
    >>> best = BestWithin(synth(5_000, keys=200, seed=1), Plan())
    >>> found = best.ask({"memory_peak": "20 KiB"})
    >>> found.candidate.memory_peak <= 20 * 1024, found.proof.bound >= found.candidate.hit_rate
    (True, True)
    """

    def __init__(self, trace: Trace, plan: Plan, results: str | Path | None = None) -> None:
        self._trace, self._plan, self._results = trace, plan, results
        self._found, self._lock = Once(self._search), Lock()
        self.tried = Tried(0, 0)

    def find(self) -> Search:
        """The search. Raises what `search` raises."""
        return self._found.get()

    def _search(self) -> Search:
        with one_at_a_time():
            return search(self._trace, self._plan, results=self._results, progress=self._tell)

    def _tell(self, _: str, done: int, wanted: int) -> None:
        check()
        self.tried = Tried(done, wanted)

    @property
    def aim(self) -> Aim:
        """What is made best."""
        return settled(self._plan.aim, self.find())

    def ask(self, limits: Limits) -> Recommended | None:
        """The best within limits. None if nothing that was tried keeps them. Raises RulesError for limits that mean
        nothing.
        """
        return self._within(*self._asked(limits))

    def reached(self, candidate: Candidate) -> float:
        """What a candidate gives of what is made best."""
        return abs(cost(self.find(), self.aim, candidate))

    def line(self, limits: Limits) -> Iterator[Candidate]:
        """The best within ever less memory, from what needs most on. Those that are no better than one with less memory
        are left out.
        """
        aim, others = self._asked({name: text for name, text in limits.items() if name != "memory_peak"})
        free = self._within(aim, others)
        if free is None:
            return
        yield free.candidate
        most = least = free.candidate.memory_peak
        bounds = [step.amount for step in SIZES if most * _LEAST_SHARE <= step.amount < most]
        for bound in reversed(bounds):
            if bound >= least:
                continue
            found = self._within(aim, [*others, Limit("memory_peak", "<=", bound)])
            if found is None:
                return
            if found.candidate.memory_peak < least:
                least = found.candidate.memory_peak
                yield found.candidate

    def _asked(self, limits: Limits) -> tuple[Aim, list[Limit]]:
        """The aim, and all limits."""
        turned = Aim(limits={name: f"<= {text}" for name, text in limits.items()})
        kept = [limit for limit in self.aim.each_limit if limit.name not in TURNED or limit.sign == ">="]
        return self.aim, [*kept, *turned.each_limit]

    def _within(self, aim: Aim, limits: list[Limit]) -> Recommended | None:
        check()
        with holding(self._lock):
            return self._answers.within("best within", aim, limits)

    @property
    def _answers(self) -> Answers:
        answers = self.find().answers
        assert answers is not None  # it was not read from a file
        return answers
