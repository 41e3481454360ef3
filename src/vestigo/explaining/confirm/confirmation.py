"""What comparing counters with a prediction gives: plain data."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from vestigo.data import Data, Told
from vestigo.rules import Plan
from vestigo.rules.vary import Changes
from vestigo.units import format_share

if TYPE_CHECKING:
    import pandas as pd

FEWEST_READS = 100
"""Of the service and of the trace."""
ALIKE = 0.02
"""Explanations that differ by no more of the whole difference explain as much."""


@dataclass(frozen=True, eq=False, repr=False)
class Compared(Data):
    """One measure of one look-up, or of all."""

    measure: str
    """``hit_rate``, ``loads`` or ``evictions`` (both for each read), ``entries`` or ``bytes`` (the most that was held).
    """
    lookup: str | None
    measured: float
    predicted: float
    interval: tuple[float, float] | None
    """The interval in which measured minus predicted lies in 95 of 100 cases, those of all look-ups together. None if
    chance is not known.
    """
    differs: bool
    """Whether the difference is more than chance and more than is tolerated."""

    @property
    def chance_is_known(self) -> bool:
        return self.interval is not None and self.interval[0] < self.interval[1]

    @property
    def difference(self) -> float:
        return self.measured - self.predicted

    TOLD = ("measure", "lookup", "measured", "predicted", "difference", "differs", "interval")


@dataclass(frozen=True, eq=False, repr=False)
class Try(Data):
    """A possible explanation: what the running cache may do differently, and what a replay gives in that case."""

    what: str
    """What it may do, in words."""
    changes: Changes
    """The changes of the settings by dotted key. Empty if the trace is what is otherwise."""
    hit_rate: float
    """What is predicted in that case."""
    off: float
    """How far the measured rates are from that prediction: the differences of the look-ups' hit rates, weighted by
    their reads, plus those of evictions and entries if these are counted.
    """


@dataclass(frozen=True, eq=False, repr=False)
class Confirmation(Data):
    """The counters of a running cache beside the replay of its plan. `confirm` returns it."""

    compared: Sequence[Compared]
    """All look-ups together first, then each."""
    off: float
    """How far the measured rates are from the prediction, as in a `Try`."""
    tries: Sequence[Try]
    """Possible explanations, the best first. Of those that explain as much, another amount of a stated rule comes
    before another rule. Nothing is tried if all is as predicted.
    """
    reads: tuple[float, float]
    """The reads that were measured, and those of the trace."""
    seconds: float
    """How long was counted."""
    scrapes: int
    settings: Plan
    notes: tuple[str, ...] = ()

    @property
    def is_known(self) -> bool:
        """Whether there were enough reads to tell. Of a hundred reads, chance moves a hit rate by ten points."""
        return min(self.reads) >= FEWEST_READS or any(one.differs and one.chance_is_known for one in self.compared)

    @property
    def is_as_predicted(self) -> bool:
        """Whether nothing differs, and there were enough reads to tell."""
        return self.is_known and not any(one.differs for one in self.compared)

    @property
    def explained_by(self) -> Try | None:
        """The best explanation, if it explains at least half of the difference."""
        return next((one for one in self.tries if one.off <= self.off / 2), None)

    @property
    def rivals(self) -> list[Try]:
        """Other explanations that explain as much, to within a fiftieth of the difference."""
        best = self.explained_by
        if best is None:
            return []
        return [one for one in self.tries if one is not best and abs(one.off - best.off) <= ALIKE * self.off]

    TOLD = ("is_as_predicted", "off", "compared", "tries", "reads", "seconds", "scrapes", "settings", "notes")

    def to_dict(self) -> Told:
        reads = dict(zip(("measured", "trace"), self.reads, strict=True))
        return super().to_dict() | {"reads": reads, **({} if self.is_known else {"is_as_predicted": None})}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each measure of each look-up that was compared, and of all."""
        import pandas as pd

        rows = [_row(one) for one in self.compared]
        return pd.DataFrame(rows).set_index(["lookup", "measure"])

    def __repr__(self) -> str:
        known = "as predicted" if self.is_as_predicted else "not as predicted" if self.is_known else "too few reads"
        return f"<Confirmation: {known}, {self.scrapes:,} scrapes, off by {format_share(self.off)}>"


def _row(compared: Compared) -> dict[str, object]:
    low, high = compared.interval or (None, None)
    row = compared.to_dict() | {"lookup": compared.lookup or "all", "low": low, "high": high}
    return {name: value for name, value in row.items() if name != "interval"}
