"""A study: many candidates' measures on one trace, beside today's settings and what they are measured against."""

from bisect import bisect_left
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from vestigo.engine.job import Job
from vestigo.engine.replay import run
from vestigo.errors import InputError
from vestigo.outcome import Outcome, together, unknown_staleness
from vestigo.rules import Aim, Plan
from vestigo.rules.aim import MEASURES, check_direction
from vestigo.trace import Trace
from vestigo.units import format_seconds

if TYPE_CHECKING:
    import pandas as pd

    from vestigo.study.choose import Pick
    from vestigo.study.sampling import Estimate

Progress = Callable[[str, int, int], None]
"""Told what is made (``replays``, ``estimates``), how many of them are there, and of how many."""

TODAY = "today"
FRONT = ("hit_rate", "memory_peak", "stale_rate")
"""What a front is about unless something else is asked."""

Result = dict[str, Any]
"""What is kept of a replay, as JSON has it: measures of the ``whole``, of the ``first`` part and of the ``rest`` of the
counted time, and the counts of each slice of time (``slices``)."""

_OF_SLICES = ("reads", "hits", "stale_hits", "loads")


@dataclass(frozen=True, eq=False)
class Candidate:
    """One set of settings and what it would have given."""

    name: str
    changes: Mapping[str, Any]
    """What it changes of today's settings, where it is one of many that vary."""
    plan: Plan
    result: Result

    def measure(self, name: str, part: str = "whole") -> float:
        """One of `vestigo.rules.aim.MEASURES`, of the ``whole``, the ``first`` part or the ``rest``."""
        value = self.result[part]
        for key in name.split("."):
            value = value[key]
        return float(value)

    def slices(self, name: str) -> np.ndarray:
        """A count for each slice of time: ``reads``, ``hits``, ``stale_hits``, ``loads``."""
        return np.array(self.result["slices"][name], np.int64)

    def __repr__(self) -> str:
        shown = ("fresh_hit_rate", "stale_rate", "loads", "memory_peak")
        return (
            f"<Candidate {self.name}: {', '.join(f'{one} {MEASURES[one].write(self.measure(one))}' for one in shown)}>"
        )


@dataclass(frozen=True, eq=False)
class Study(Mapping[str, Candidate]):
    """Candidates by name; the first is today's settings."""

    candidates: Mapping[str, Candidate]
    references: Mapping[str, Candidate]
    """No cache, and the ceilings: no settings that anyone could have."""
    aim: Aim = Aim()
    bounds_ns: tuple[int, int, int] = (0, 0, 0)
    """Where counting begins, where the first part ends, on which candidates are ranked, and where the rest ends, which
    confirms."""
    replayed: int = 0
    """How many candidates were replayed; the others were known from before."""
    notes: tuple[str, ...] = ()
    source: str = ""
    estimates: Mapping[str, "Estimate"] = field(default_factory=dict)
    """Of all that was asked for on the first part, where only those that a sample put on the front were replayed."""

    def __getitem__(self, name: str) -> Candidate:
        return self.candidates[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.candidates)

    def __len__(self) -> int:
        return len(self.candidates)

    @property
    def today(self) -> Candidate:
        return next(iter(self.candidates.values()))

    @property
    def stale_known(self) -> bool:
        """Whether the trace shows changes; if not, no answer is known to be stale or fresh."""
        known: bool = self.today.result["whole"].get("stale_known", True)
        return known

    @property
    def staleness_unknown(self) -> str:
        """Why nothing is said of staleness."""
        oldest = format_seconds(self.today.measure("answer_age.max")) if self.today.result["whole"]["hits"] else None
        return unknown_staleness(oldest)

    def span_ns(self, part: str = "whole") -> int:
        """How long the part is."""
        begin, split, end = self.bounds_ns
        return {"whole": end - begin, "first": split - begin, "rest": end - split}[part]

    def front(self, measures: Sequence[str] = FRONT, part: str = "whole") -> list[Candidate]:
        """The candidates that no other beats: none is as good in every measure and better in one. Best first.

        Of candidates that are equal in all measures the first one stands for all.
        """
        from vestigo.study.front import unbeaten

        return unbeaten(list(self.values()), measures, part)

    def choose(
        self,
        most: str | None = None,
        *,
        least: str | None = None,
        seed: int = 0,
        **limits: str,
    ) -> "Pick":
        """The candidate that is best at the aim within its limits: the plan's own, unless something is said here.

        ``choose("fresh_hit_rate", memory_peak="<= 64 MiB")``. In names of measures with a dot, write two low lines:
        ``read_time__p95``.
        """
        from vestigo.study.choose import choose

        aim = self.aim
        for word, name in (("most", most), ("least", least)):
            if name is not None:
                try:
                    check_direction(word, name)
                except ValueError as error:
                    raise InputError(f"choose: {error}") from None
        if most or least or limits:
            bounds = {name.replace("__", "."): text for name, text in limits.items()}
            aim = Aim(most or least or self.aim.best, bounds, self.aim.worth)
        return choose(self, aim, seed)

    def to_pandas(self, part: str = "whole") -> "pd.DataFrame":
        """One row a candidate, with what it changes and all measures."""
        import pandas as pd

        each = [{**one.changes, **{name: one.measure(name, part) for name in MEASURES}} for one in self.values()]
        return pd.DataFrame(each, index=pd.Index(list(self), name="candidate"))

    def to_dict(self) -> dict[str, Any]:
        """Each candidate's changes and measures, and those of the references."""
        return {
            "candidates": {name: {"changes": dict(one.changes), **one.result["whole"]} for name, one in self.items()},
            "references": {name: one.result["whole"] for name, one in self.references.items()},
        }

    def __repr__(self) -> str:
        return f"<Study of {len(self):,} candidates, {len(self.front()):,} of them on the front; {self.today!r}>"


def replayed(trace: Trace, job: Job, name: str, split_ns: int) -> Result:
    """A replay's result."""
    return result_of(run(trace, job, "native", name), split_ns)


def result_of(outcome: Outcome, split_ns: int) -> Result:
    """What is kept of an outcome."""
    whole, slices = outcome.to_dict(), outcome.slices
    until = max(bisect_left(slices.column("begins_ns"), split_ns), 1)
    rest = slices[until:] or slices[-1:]
    return {
        "whole": whole,
        "first": together(slices[:until]).to_dict() if slices else whole,
        "rest": together(rest).to_dict() if slices else whole,
        "slices": {name: slices.column(name) for name in _OF_SLICES},
    }


def split_at(job: Job, share_for_rest: float) -> int:
    """The beginning of the slice with which the rest begins: `share_for_rest` of the counted slices."""
    slices = job.slicing.most
    first = min(max(round(slices * (1 - share_for_rest)), 1), max(slices - 1, 1))
    return job.slicing.origin_ns + first * job.slicing.width_ns
