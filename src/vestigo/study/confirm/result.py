"""What comparing counters with a prediction gives: plain data."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vestigo.data import Data
from vestigo.rules import Plan

_ALIKE = 0.02


@dataclass(frozen=True, eq=False, repr=False)
class Compared(Data):
    """One measure of one look-up, or of all."""

    measure: str
    """``hit_rate``, ``loads`` and ``evictions`` (both for each read), ``entries`` or ``bytes`` (held, on average)."""
    lookup: str | None
    life: float
    predicted: float
    interval: tuple[float, float] | None
    """The interval in which life minus prediction lies in 95 of 100 resamples of time. None if it is not resampled."""
    differs: bool
    """Whether the difference is more than chance and more than is tolerated."""

    @property
    def difference(self) -> float:
        return self.life - self.predicted

    def to_dict(self) -> dict[str, Any]:
        names = ("measure", "lookup", "life", "predicted", "difference", "differs")
        interval = None if self.interval is None else list(self.interval)
        return {name: getattr(self, name) for name in names} | {"interval": interval}


@dataclass(frozen=True, eq=False, repr=False)
class Try(Data):
    """Something that could be otherwise in life, and what a replay gives in that case."""

    what: str
    """A statement about life, in words."""
    changes: Mapping[str, Any]
    """The changes of the settings by dotted key. Empty if the trace is what is otherwise."""
    hit_rate: float
    """What is predicted in that case."""
    off: float
    """How far life is from that prediction: the differences of the look-ups' hit rates, weighted by their reads, plus
    those of evictions and entries if these are counted.
    """

    def to_dict(self) -> dict[str, Any]:
        return {"what": self.what, "changes": dict(self.changes), "hit_rate": self.hit_rate, "off": self.off}


@dataclass(frozen=True, eq=False, repr=False)
class Confirmation(Data):
    """The counters of a running cache beside the replay of its plan. `confirm` returns it."""

    compared: Sequence[Compared]
    """All look-ups together first, then each."""
    off: float
    """How far life is from the prediction, measured as in a `Try`."""
    tries: Sequence[Try]
    """What would explain life, the best first. Nothing is tried if life is as predicted."""
    reads: tuple[float, float]
    """The reads that life counted, and those of the trace."""
    seconds: float
    """How long was counted."""
    scrapes: int
    settings: Plan
    notes: tuple[str, ...] = ()

    @property
    def is_as_predicted(self) -> bool:
        return not any(one.differs for one in self.compared)

    @property
    def explained_by(self) -> Try | None:
        """The best try, if it explains at least half of the difference."""
        return next((one for one in self.tries if one.off <= self.off / 2), None)

    @property
    def rivals(self) -> list[Try]:
        """Other tries that explain as much, to within a fiftieth of the difference."""
        best = self.explained_by
        if best is None:
            return []
        return [one for one in self.tries if one is not best and one.off <= best.off + _ALIKE * self.off]

    def to_dict(self) -> dict[str, Any]:
        return {
            "is_as_predicted": self.is_as_predicted,
            "off": self.off,
            "compared": [one.to_dict() for one in self.compared],
            "tries": [one.to_dict() for one in self.tries],
            "reads": {"life": self.reads[0], "trace": self.reads[1]},
            "seconds": self.seconds,
            "scrapes": self.scrapes,
            "settings": self.settings.to_dict(),
            "notes": list(self.notes),
        }
