"""What a check found: what each rule earns, and likely mistakes with what they cost."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.pick import cost, excesses, goal, written
from vestigo.data import Data, Told
from vestigo.measures import MEASURES, is_told
from vestigo.rules import Aim, Plan
from vestigo.rules.vary import Changes

if TYPE_CHECKING:
    import pandas as pd

EFFECTS = ("hits", "fresh_hits", "stale_hits", "loads", "read_time", "memory_peak")
"""What is said of a change: counts, seconds of all reads together, and bytes."""


@dataclass(frozen=True, eq=False, repr=False)
class RuleTried(Data):
    """A stated rule, and the candidates in which only this rule is changed."""

    key: str
    """The dotted key of the rule: ``lookup.vessel.sliding``."""
    value: str
    tried: Mapping[str, str]
    """The names of candidates by what was done to the rule: ``without``, ``half``, ``double``."""
    not_tried: str = ""
    """Why the rule cannot be taken away alone."""


@dataclass(frozen=True, eq=False, repr=False)
class Mistake(Data):
    """A likely mistake in a plan, with evidence from the trace."""

    kind: str
    """The kind of mistake, in a few words."""
    where: str
    """The rule, or the look-up, as a plan names it."""
    evidence: str
    """A sentence with what the trace shows."""
    changes: Changes
    """The changes that fix it, by dotted key. Empty if no rule does."""
    fixed: str | None
    """The name of the candidate with these changes."""
    gain: float
    """How much better the fixed plan is at the aim, as a share of today's amount. It is 0 if the aim is not affected,
    or no rule fixes the mistake.
    """


@dataclass(frozen=True, eq=False, repr=False)
class Check(Data):
    """What `check` found."""

    found: Candidates
    """Today's settings and everything that was tried."""
    aim: Aim
    """The aim that gains are measured by."""
    rules: Sequence[RuleTried]
    """The rules that were tried, in the order of the plan."""
    mistakes: Sequence[Mistake]
    """The mistakes, the most costly first."""
    plan: Plan
    fixed: Plan
    """The plan with the changes of all mistakes that make it better together."""
    fixed_name: str
    """The name of the candidate that is the fixed plan."""
    advice: tuple[str, ...] = ()
    """What is no mistake of the plan, but moves its numbers: a cold start that is counted, lifetimes that depend on
    from when on they run.
    """
    notes: tuple[str, ...] = ()

    @property
    def goal(self) -> str:
        return goal(self.aim)

    def amount_text(self, amount: float) -> str:
        """An amount of the aim for people."""
        return written(self.aim, amount)

    def amount(self, name: str) -> float:
        """The amount of the aim that a candidate has."""
        return abs(cost(self.found, self.aim, self.found[name], "whole"))

    def gain(self, name: str) -> float:
        """How much better a candidate is at the aim than today's settings, as a share of their amount. It is below 0 if
        the candidate breaks limits that today's settings keep, or breaks them by more.
        """
        return gain(self.found, self.aim, self.found[name])

    def effect(self, name: str) -> dict[str, float]:
        """What a candidate has more than today's settings (see `EFFECTS`)."""
        return {one: _amount(self.found[name], one) - _amount(self.found.today, one) for one in EFFECTS}

    @property
    def idle(self) -> list[RuleTried]:
        """Rules without which every measure is the same."""
        return [one for one in self.rules if "without" in one.tried and self._is_same(one.tried["without"])]

    def _is_same(self, name: str) -> bool:
        names = [one for one in MEASURES if is_told(one, self.found)]
        return all(self.found[name].measure(one) == self.found.today.measure(one) for one in names)

    def best(self, most: int = 3) -> list[tuple[str, str, Candidate]]:
        """The changes of a single rule that help the aim most: the key of the rule, what was done to it, and the
        candidate.
        """
        tried = [(one.key, what, self.found[name]) for one in self.rules for what, name in one.tried.items()]
        better = [one for one in tried if self.gain(one[2].name) > 0]
        return sorted(better, key=lambda one: -self.gain(one[2].name))[:most]

    @property
    def most_costly(self) -> float:
        """What the most costly mistake costs, as a share of the aim's amount."""
        return max((one.gain for one in self.mistakes), default=0.0)

    def to_dict(self) -> Told:
        """Plain data: times in seconds, memory in bytes. A change of a rule has its difference from today's
        settings.
        """

        def of(name: str) -> dict[str, float]:
            return {"gain": self.gain(name), **self.effect(name)}

        tried = [one.to_dict() | {"tried": {what: of(name) for what, name in one.tried.items()}} for one in self.rules]
        return {
            "aim": self.goal,
            "today": self.amount(self.found.today.name),
            "fixed": self.amount(self.fixed_name),
            "rules": tried,
            "best": [{"rule": key, "change": what, "gain": self.gain(one.name)} for key, what, one in self.best()],
            "idle": [one.key for one in self.idle],
            "mistakes": [one.to_dict() for one in self.mistakes],
            "advice": list(self.advice),
            "notes": list(self.notes),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each change of a rule."""
        import pandas as pd

        rows = [
            {"rule": one.key, "value": one.value, "change": what, "gain": self.gain(name), **self.effect(name)}
            for one in self.rules
            for what, name in one.tried.items()
        ]
        return pd.DataFrame(rows)

    def __repr__(self) -> str:
        return f"<Check of {len(self.rules)} rules: {len(self.mistakes)} likely mistakes>"


def gain(found: Candidates, aim: Aim, candidate: Candidate) -> float:
    """See `Check.gain`."""
    before, after = (cost(found, aim, each, "whole") for each in (found.today, candidate))
    better, more = (before - after) / (abs(before) or 1.0), -relief(found, aim, candidate)
    return min(better, 0.0) - more if more > 0 else better


def relief(found: Candidates, aim: Aim, candidate: Candidate) -> float:
    """How much less a candidate breaks the limits than today's settings do, as a share of the limits."""
    today, then = (
        sum(one.share for one in excesses(found, each, aim.each_limit, "whole")) for each in (found.today, candidate)
    )
    return today - then


def _amount(candidate: Candidate, name: str) -> float:
    if name == "fresh_hits":
        return float(candidate.hits - candidate.stale_hits)
    return candidate.read_time() * candidate.reads if name == "read_time" else candidate.measure(name)
