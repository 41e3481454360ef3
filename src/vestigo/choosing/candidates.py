"""The measures of many candidates on one trace, beside today's settings, no cache and the ceilings: plain data."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields

import numpy as np

from vestigo.arguments import one_of
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.results import Kept
from vestigo.data import Data, Told
from vestigo.errors import raise_for_unknown
from vestigo.measures import MEASURES
from vestigo.outcome import unknown_staleness
from vestigo.outcome.summary import Summary
from vestigo.rules import Aim, Plan
from vestigo.rules.plan import Called
from vestigo.rules.vary import Changes, name_of
from vestigo.units import format_seconds

PARTS = ("whole", "first", "rest")
"""Of the counted time: all of it, and the parts on which a choice is made and checked."""


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Candidate(Summary):
    """One set of settings and what it would have given. Its own measures are those of the whole time."""

    name: str
    changes: Changes
    """What it changes of today's settings, if it is one of many that vary."""
    plan: Plan
    first: Summary
    """Measures of the first part of the time, on which a choice is made, and of the rest, on which it is checked."""
    rest: Summary
    of_slices: Mapping[str, Sequence[int]]
    """By name, a count for each slice of time: ``reads``, ``hits``, ``stale_hits``, ``loads``."""

    @classmethod
    def made(cls, name: str, changes: Mapping[str, object], plan: Plan, kept: Kept) -> "Candidate":
        """A candidate from what was kept of its replay."""
        whole = {one.name: getattr(kept.whole, one.name) for one in fields(Summary)}
        own: Told = {"first": kept.first, "rest": kept.rest, "of_slices": kept.slices}
        return cls(name=name, changes=changes, plan=plan, **whole, **own)

    @property
    def is_of_grid(self) -> bool:
        """Whether its name says what it changes."""
        return bool(self.changes) and self.name == name_of(self.changes)

    @property
    def whole(self) -> Summary:
        """The measures of the whole time alone."""
        return Summary(**{one.name: getattr(self, one.name) for one in fields(Summary)})

    def measure(self, name: str, part: str = "whole") -> float:
        """One of `vestigo.measures.MEASURES`, or a count, for the ``whole`` time, the ``first`` part or the ``rest``.
        Raises UnknownName.
        """
        return {"whole": self, "first": self.first, "rest": self.rest}[one_of("part", part, PARTS)].amount(name)

    def slices(self, name: str) -> np.ndarray:
        """A count for each slice of time: ``reads``, ``hits``, ``stale_hits``, ``loads``."""
        return np.array(self.of_slices[name], np.int64)

    def to_dict(self) -> Told:
        """Its name, what it changes, and its measures for the whole time."""
        return {"name": self.name, "changes": dict(self.changes), **super().to_dict()}

    def __repr__(self) -> str:
        shown = ("fresh_hit_rate", "stale_rate", "loads", "memory_peak")
        each = [f"{one} {MEASURES[one].amount_text(self.measure(one))}" for one in shown]
        return f"<Candidate {self.name}: {', '.join(each)}>"


@dataclass(frozen=True, eq=False, repr=False)
class Candidates(Data, Mapping[str, Candidate]):
    """Candidates by name. The first one is today's settings."""

    candidates: Mapping[str, Candidate]
    references: Mapping[str, Candidate]
    """No cache, and the ceilings. Nobody can choose these."""
    aim: Aim = Aim()
    bounds_ns: tuple[int, int, int] = (0, 0, 0)
    """Where counting begins, where the first part ends, and where the rest ends, on which a choice made on the first
    part is checked.
    """
    replayed: int = field(default=0, compare=False)
    """How many candidates were replayed. The others were known from before."""
    notes: tuple[str, ...] = field(default=(), compare=False)
    source: str = ""
    estimates: Mapping[str, Estimate] = field(default_factory=dict)
    """Estimates for all candidates, if only those that a sample put on the front were replayed."""
    same: Mapping[str, str] = field(default_factory=dict, compare=False)
    """Combinations that are the same settings as a candidate, and the name of that one."""
    left_out: tuple[str, ...] = field(default=(), compare=False)
    """Those of the `notes` that say which combinations were not tried, and which values change nothing."""

    def __getitem__(self, name: str) -> Candidate:
        """A candidate by name, or by the number that tables show for a long name: ``found["#195"]``. Raises
        UnknownName.
        """
        if isinstance(name, str) and re.fullmatch(r"#\d+", name) and int(name[1:]) < len(self):
            return list(self.candidates.values())[int(name[1:])]
        name = self.same.get(name, name)
        if name not in self.candidates:
            raise_for_unknown("candidate", name, self.candidates)
        return self.candidates[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.candidates)

    def __len__(self) -> int:
        return len(self.candidates)

    @property
    def today(self) -> Candidate:
        return next(iter(self.candidates.values()))

    @property
    def settings(self) -> Called:
        """What outputs call today's settings."""
        return self.today.plan.called

    @property
    def stale_known(self) -> bool:
        """Whether the trace shows changes. If it does not, no answer is known to be stale or fresh."""
        return self.today.stale_known

    @property
    def origin_stated(self) -> bool:
        """Whether anything is stated of the origin. If not, it never fails, and no call waits."""
        return self.today.origin_stated

    @property
    def staleness_unknown(self) -> str:
        """The sentence that says why staleness is unknown."""
        oldest = format_seconds(self.today.measure("answer_age.max")) if self.today.hits else None
        return unknown_staleness(oldest)

    def length_ns(self, part: str = "whole") -> int:
        """The length of a part of the time, in ns."""
        begin, split, end = self.bounds_ns
        return {"whole": end - begin, "first": split - begin, "rest": end - split}[part]
