"""``Pick``: the chosen candidate, what makes it better than others, and the limits that it keeps or breaks."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from vestigo.data import Data
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Worth
from vestigo.rules.aim import Limit
from vestigo.study.candidates import Candidate, Candidates

MONTH_NS = 365.25 / 12 * 86_400 * 1e9
MONEY = "money a month"


class Excess(NamedTuple):
    """A limit that a candidate breaks, and the amount that breaks it."""

    limit: Limit
    amount: float

    @property
    def share(self) -> float:
        """How far beyond the bound, in parts of it."""
        return self.limit.beyond(self.amount)


class Relaxed(NamedTuple):
    """What a limit costs: the candidate that would be chosen if it were given up as far as that one needs."""

    limit: Limit
    candidate: Candidate
    gain: float


@dataclass(frozen=True, eq=False, repr=False)
class Pick(Data):
    """The chosen candidate with its reasons; or, where none keeps the limits, the one that comes closest."""

    among: Candidates
    aim: Aim
    candidate: Candidate
    broken: tuple[Excess, ...]
    """Limits that the candidate breaks: none, or there is no candidate within them."""
    broken_on_rest: tuple[Excess, ...] = ()
    best_on_rest: Candidate | None = None
    """Which candidate within the limits is best there."""
    runner_up: Candidate | None = None
    ahead: tuple[int, int] | None = None
    """In how many of how many resamples the pick is ahead of the runner-up; None where slices do not tell the aim."""
    intervals: dict[str, tuple[float, float]] = field(default_factory=dict)
    """Of rates over the whole: the middle 95% of resamples."""
    relaxed: tuple[Relaxed, ...] = ()
    cheaper: Candidate | None = None
    """The best within the limits that takes less memory."""
    better: Candidate | None = None
    """Of those that are better at the aim, the one that breaks limits least."""
    because: tuple[str, ...] = ("",)
    """Why, in plain sentences; the first one says what to take."""

    @property
    def is_met(self) -> bool:
        """Whether some candidate keeps the limits."""
        return not self.broken

    @property
    def holds(self) -> bool:
        """Whether the pick keeps the limits on the rest, too, and is no worse there than today's."""
        today = self.among.today
        return not self.broken_on_rest and (
            self.candidate.name == today.name or self.cost(self.candidate, "rest") <= self.cost(today, "rest")
        )

    def cost(self, candidate: Candidate, part: str = "whole") -> float:
        """What the aim makes least: the measure, with its sign turned where more is better, or money."""
        return cost(self.among, self.aim, candidate, part)

    def value(self, candidate: Candidate, part: str = "whole") -> float:
        """The aim's amount as people know it."""
        return abs(self.cost(candidate, part))

    def write(self, amount: float) -> str:
        """An amount of the aim for people."""
        return written(self.aim, amount)

    @property
    def goal(self) -> str:
        return goal(self.aim)

    def to_dict(self) -> dict[str, Any]:
        """The pick's changes and measures, and all that is said of it."""
        return {
            "name": self.candidate.name,
            "changes": dict(self.candidate.changes),
            "plan": self.candidate.plan.to_dict(),
            "is_met": self.is_met,
            "holds": self.holds,
            "because": list(self.because),
            **{part: self.candidate.result[part] for part in ("whole", "first", "rest")},
        }

    def __repr__(self) -> str:
        return f"<Pick {self.candidate.name}: {self.because[0]}>"


def goal(aim: Aim) -> str:
    """What it makes best, for people."""
    return MEASURES[aim.best].label if aim.best else MONEY


def written(aim: Aim, amount: float) -> str:
    """An amount of it for people."""
    if aim.best is not None:
        return MEASURES[aim.best].write(amount)
    return f"{amount:,.2f} {aim.worth.currency if aim.worth else ''}".rstrip()


def cost(found: Candidates, aim: Aim, candidate: Candidate, part: str) -> float:
    if aim.best is not None:
        amount = candidate.measure(aim.best, part)
        return -amount if MEASURES[aim.best].more_is_better else amount
    return money(found, aim.worth or Worth(), candidate, part)


def money(found: Candidates, worth: Worth, candidate: Candidate, part: str = "whole") -> float:
    """A month of it, at the pace of the trace; memory is paid for at its peak."""
    months = found.span_ns(part) / MONTH_NS
    loads, stale = candidate.measure("loads", part), candidate.measure("stale_hits", part)
    spent = loads / 1e6 * worth.million_loads + stale * worth.stale_read
    return (spent / months if months else 0.0) + candidate.measure("memory_peak", part) / 2**30 * worth.gib_month


def excesses(found: Candidates, candidate: Candidate, limits: Sequence[Limit], part: str) -> list[Excess]:
    """The limits that it breaks. Limits relative to today's settings are taken beside these in the same part."""
    each = [
        Excess(limit.beside(found.today.measure(limit.name, part)), candidate.measure(limit.name, part))
        for limit in limits
    ]
    return [one for one in each if not one.limit.allows(one.amount)]
