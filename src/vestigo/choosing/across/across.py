"""What is chosen for several recordings: plain data."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from vestigo.choosing.candidates import Candidate
from vestigo.choosing.pick import Excess, goal, paid, written
from vestigo.data import Data, Told, can_be_kept
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Plan, Worth

if TYPE_CHECKING:
    import pandas as pd

_OF_TIME = "memory_mean"
_WHOLE = 100
"""This percentile is the largest."""
_COUNTED = {"answer_age": "hits", "stale_age": "stale_hits", "origin_wait": "loads"}
"""What measures are of, if not of reads."""


@can_be_kept
class Broken(NamedTuple):
    """A limit that is broken on one of the recordings."""

    recording: str
    excess: Excess


@dataclass(frozen=True, eq=False, repr=False)
class Across(Data):
    """What is chosen for several recordings. `across` returns it."""

    aim: Aim
    recordings: Sequence[str]
    lengths_ns: Sequence[int]
    """How long each was counted."""
    today: Sequence[Candidate]
    """Today's settings on each recording."""
    pick: Sequence[Candidate]
    """The chosen settings on each. If no settings keep all limits, the ones that come closest."""
    alone: Sequence[Candidate]
    """What would be chosen for each recording if it were the only one."""
    plan: Plan
    """The chosen settings."""
    broken: tuple[Broken, ...]
    tried: int
    """How many settings were replayed on every recording."""
    notes: Sequence[str] = ()

    @property
    def is_met(self) -> bool:
        return not self.broken

    @property
    def goal(self) -> str:
        return goal(self.aim)

    def amounts(self, which: Sequence[Candidate]) -> list[float]:
        """The aim on each recording."""
        return [abs(cost) for cost in costs(self.aim, which, self.lengths_ns)]

    def together(self, which: Sequence[Candidate]) -> float:
        """The aim of all recordings, or of the worst, as the aim says."""
        return abs(cost_across(self.aim, which, self.lengths_ns))

    def amount_text(self, amount: float) -> str:
        return written(self.aim, amount)

    @property
    def in_words(self) -> str:
        """The answer in a sentence or two."""
        of = "together" if self.aim.of == "all" else "in the worst of them"
        own, today, alone = (self.amount_text(self.together(one)) for one in (self.pick, self.today, self.alone))
        if not self.is_met:
            said = "; ".join(f"{one.excess.limit} on {one.recording}" for one in self.broken)
            many = len(self.recordings)
            return f"Nothing that was tried keeps the limits on each of {many} recordings. The closest breaks {said}."
        limits = " and ".join(str(one) for one in self.aim.each_limit)
        within = f", within {limits} on each" if limits else ""
        return (
            f"Settings with {self.goal} {own} on {len(self.recordings)} recordings {of} (today {today}){within}. With "
            f"the best settings for each alone it would be {alone}."
        )

    def to_dict(self) -> Told:
        """Plain data: times in seconds, memory in bytes, rates in [0, 1]."""
        return {
            "answer": self.in_words,
            "is_met": self.is_met,
            "of": self.aim.of,
            "together": {"today": self.together(self.today), "pick": self.together(self.pick)},
            "recordings": {
                name: {"today": today.whole.to_dict(), "pick": pick.whole.to_dict(), "alone": alone.whole.to_dict()}
                for name, today, pick, alone in zip(self.recordings, self.today, self.pick, self.alone, strict=True)
            },
            "plan": self.plan.replayed_to_dict(),
            "broken": [{"recording": one.recording, "limit": str(one.excess.limit)} for one in self.broken],
            "tried": self.tried,
            "notes": list(self.notes),
        }

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each recording with each settings."""
        import pandas as pd

        each = {"today": self.today, "pick": self.pick, "alone": self.alone}
        rows = [
            {"recording": name, "settings": which, **{measure: one.measure(measure) for measure in MEASURES}}
            for which, candidates in each.items()
            for name, one in zip(self.recordings, candidates, strict=True)
        ]
        return pd.DataFrame(rows)

    def __repr__(self) -> str:
        return f"<Across: {self.in_words}>"


def costs(aim: Aim, which: Sequence[Candidate], lengths_ns: Sequence[int]) -> list[float]:
    """What the aim makes smallest, on each recording."""
    if aim.best is None:
        return [paid(aim.worth or Worth(), one, length) for one, length in zip(which, lengths_ns, strict=True)]
    sign = -1 if MEASURES[aim.best].more_is_better else 1
    return [sign * one.measure(aim.best) for one in which]


def cost_across(aim: Aim, which: Sequence[Candidate], lengths_ns: Sequence[int]) -> float:
    """What the aim makes smallest, of all recordings: what adds up of all, the mean of rates, means and percentiles by
    what they are of (reads, hits, stale hits, calls), and that of money and held memory by time; of all else, such as
    peaks, the largest. Or that of the worst.
    """
    each = costs(aim, which, lengths_ns)
    if aim.best in (None, _OF_TIME):
        weights = [float(length) for length in lengths_ns]
    else:
        what, counted = MEASURES[aim.best], _COUNTED.get(aim.best.partition(".")[0], "reads")
        weights = [one.measure(counted) for one in which]
        if aim.of == "all" and what.adds_up is not None and what.adds_up.per is None:
            return sum(each)
        if what.adds_up is None and (what.of_spans is None or what.of_spans.percentile == _WHOLE):
            return max(each)
    if aim.of == "worst":
        return max(each)
    return sum(cost * weight for cost, weight in zip(each, weights, strict=True)) / (sum(weights) or 1.0)
