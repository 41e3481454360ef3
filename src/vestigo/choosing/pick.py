"""``Pick``: the chosen candidate, what makes it better than others, and the limits that it keeps or breaks."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple, Protocol

from vestigo.choosing.candidates import Candidate, Candidates
from vestigo.choosing.proof import Proof
from vestigo.choosing.rehearsing.stands import Stands
from vestigo.data import Data, Told, can_be_kept
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Plan, Worth
from vestigo.rules.aim import Limit

if TYPE_CHECKING:
    import pandas as pd

MONTH_NS = 365.25 / 12 * 86_400 * 1e9
MONEY = "money a month"


@can_be_kept
class Excess(NamedTuple):
    """A limit that a candidate breaks, and the amount that breaks it."""

    limit: Limit
    amount: float

    @property
    def share(self) -> float:
        """How far beyond the bound it is, as a share of the bound."""
        return self.limit.beyond(self.amount)


@can_be_kept
class HeldOut(NamedTuple):
    """The same choice made on the first part of the time, judged on the rest, which had no part in it."""

    candidate: Candidate | None
    """What is chosen on the first part alone. None if no candidate keeps the limits there."""
    broken: tuple[Excess, ...]
    """The limits that it breaks on the rest."""
    best: Candidate | None
    """The candidate that is best within the limits on the rest."""


@can_be_kept
class Elsewhere(NamedTuple):
    """What the chosen settings give on another recording."""

    recording: str
    value: float
    """Of the aim's measure."""
    today: float
    """What today's settings give there."""
    broken: tuple[Excess, ...]
    """The limits that the chosen settings break there."""


@can_be_kept
class Relaxed(NamedTuple):
    """What a limit costs: the candidate that would be chosen if the limit were loosened just enough for it."""

    limit: Limit
    candidate: Candidate
    gain: float


@dataclass(frozen=True, eq=False, repr=False)
class Pick(Data):
    """The chosen candidate with its reasons, or, if none keeps the limits, the one that comes closest."""

    among: Candidates
    aim: Aim
    candidate: Candidate
    broken: tuple[Excess, ...]
    """The limits that the candidate breaks over the whole time. It breaks some only if no candidate keeps them all."""
    held_out: HeldOut = HeldOut(None, (), None)
    """Whether this way of choosing holds on time that had no part in it."""
    runner_up: Candidate | None = None
    ahead: tuple[int, int] | None = None
    """In how many resamples, of how many, the pick is ahead of the runner-up. None if slices do not tell the aim."""
    intervals: dict[str, tuple[float, float]] = field(default_factory=dict)
    """For rates over the whole time, the middle 95 % of resamples."""
    relaxed: tuple[Relaxed, ...] = ()
    cheaper: Candidate | None = None
    """The best candidate within the limits that takes less memory."""
    better: Candidate | None = None
    """The candidate that breaks limits least, of those that are better at the aim."""
    proof: Proof | None = None
    """How good it is among all combinations of what a search tried."""
    bad_days: Stands | None = None
    """How the limits of bad moments were kept, if the aim has some."""
    elsewhere: Elsewhere | None = None
    """What it gives on another recording, if it was checked on one."""
    because: tuple[str, ...] = ("",)
    """The reasons in sentences. The first one says what to take."""

    @property
    def plan(self) -> Plan:
        """The settings of the candidate."""
        return self.candidate.plan

    @property
    def is_met(self) -> bool:
        """Whether some candidate keeps the limits."""
        return not self.broken

    @property
    def holds(self) -> bool:
        """Whether the same choice, made on the first part, keeps the limits on the rest and is not worse there than
        today's settings, if there are such. If it was checked on another recording, whether it is so there.
        """
        if self.elsewhere is not None:
            there, sign = self.elsewhere, -1 if self.aim.best and MEASURES[self.aim.best].more_is_better else 1
            is_worse = sign * there.value > sign * there.today
            return not there.broken and (self.among.settings.is_nothing or not is_worse)
        chosen, today = self.held_out.candidate, self.among.today
        if chosen is None or self.held_out.broken:
            return False
        is_same = chosen.name == today.name or self.among.settings.is_nothing
        return is_same or self.cost(chosen, "rest") <= self.cost(today, "rest")

    @property
    def is_alone(self) -> bool:
        """Whether nothing was there to choose from."""
        return len(self.among) == 1

    def cost(self, candidate: Candidate, part: str = "whole") -> float:
        """What the aim makes smallest."""
        return cost(self.among, self.aim, candidate, part)

    def value(self, candidate: Candidate, part: str = "whole") -> float:
        """The amount of the aim, not negated."""
        return abs(self.cost(candidate, part))

    def amount_text(self, amount: float) -> str:
        """An amount of the aim for people."""
        return written(self.aim, amount)

    @property
    def goal(self) -> str:
        return goal(self.aim)

    def to_dict(self) -> Told:
        """The changes and measures of the pick, and everything that is said of it."""
        return {
            "name": self.candidate.name,
            "changes": dict(self.candidate.changes),
            "plan": self.candidate.plan.replayed_to_dict(),
            "is_met": self.is_met,
            "holds": self.holds,
            "held_out": {
                "chosen": self.held_out.candidate.name if self.held_out.candidate else None,
                "best": self.held_out.best.name if self.held_out.best else None,
            },
            **({"elsewhere": self._told_elsewhere(self.elsewhere)} if self.elsewhere is not None else {}),
            "because": list(self.because),
            "whole": self.candidate.whole.to_dict(),
            "first": self.candidate.first.to_dict(),
            "rest": self.candidate.rest.to_dict(),
            **({"proof": self.proof.to_dict()} if self.proof is not None else {}),
        }

    def _told_elsewhere(self, there: Elsewhere) -> Told:
        return {**there._asdict(), "broken": [str(one.limit) for one in there.broken]}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each thing that is compared: no cache, today's settings, the pick, its neighbours, the
        ceilings.
        """
        import pandas as pd

        no_cache, *ceilings = self.among.references.values() or [None]
        near = {"runner-up": self.runner_up, "less memory": self.cheaper, "breaks a limit": self.better}
        rows = {
            "no cache": no_cache,
            "today": self.among.today,
            "the pick": self.candidate,
            **near,
            **{one.name: one for one in ceilings if one is not None},
        }
        there = {name: one for name, one in rows.items() if one is not None}
        each = [{"candidate": one.name, **{name: one.measure(name) for name in MEASURES}} for one in there.values()]
        return pd.DataFrame(each, index=pd.Index(list(there), name="compared"))

    def __repr__(self) -> str:
        return f"<Pick {self.candidate.name}: {self.because[0]}>"


def goal(aim: Aim) -> str:
    """What the aim makes best, in words."""
    return MEASURES[aim.best].label if aim.best else MONEY


def written(aim: Aim, amount: float) -> str:
    """An amount of the aim, written for people."""
    if aim.best is not None:
        return MEASURES[aim.best].amount_text(amount)
    return f"{amount:,.2f} {aim.worth.currency if aim.worth else ''}".rstrip()


class Measured(Protocol):
    """A candidate, as far as it is judged by its measures."""

    def measure(self, name: str, part: str = ..., /) -> float: ...


class Compared(Protocol):
    """Candidates, as far as they say what one of them is compared with."""

    @property
    def today(self) -> Measured: ...
    def length_ns(self, part: str = ..., /) -> int: ...


def cost(compared: Compared, aim: Aim, candidate: Measured, part: str = "whole") -> float:
    """What the aim makes smallest: money, or the measure, negated if more is better."""
    if aim.best is not None:
        amount = candidate.measure(aim.best, part)
        return -amount if MEASURES[aim.best].more_is_better else amount
    return money(compared, aim.worth or Worth(), candidate, part)


def money(found: Compared, worth: Worth, candidate: Measured, part: str = "whole") -> float:
    """What a candidate costs in a month, at the pace of the trace. Memory is paid for at its peak."""
    return paid(worth, candidate, found.length_ns(part), part)


def paid(worth: Worth, candidate: Measured, length_ns: int, part: str = "whole") -> float:
    """What a candidate costs in a month, at the pace of a part of the time that is so long."""
    months = length_ns / MONTH_NS
    loads, stale = candidate.measure("loads", part), candidate.measure("stale_hits", part)
    spent = loads / 1e6 * worth.million_loads + stale * worth.stale_read
    return (spent / months if months else 0.0) + candidate.measure("memory_peak", part) / 2**30 * worth.gib_month


def excesses(compared: Compared, candidate: Measured, limits: Sequence[Limit], part: str = "whole") -> list[Excess]:
    """The limits that a candidate breaks. Limits relative to today's settings use today's amount in the same part of
    the time.
    """
    beside = [
        Excess(limit.beside(compared.today.measure(limit.name, part)), candidate.measure(limit.name, part))
        for limit in limits
    ]
    return [one for one in beside if not one.limit.allows(one.amount)]
