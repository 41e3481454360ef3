"""``Sweep``: what `sweep` and `search` return, with its front and its pick."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from vestigo.errors import InputError
from vestigo.measures import MEASURES, check_direction
from vestigo.rules import Aim
from vestigo.study.candidates import Candidate, Candidates
from vestigo.study.choose import choose
from vestigo.study.front import unbeaten
from vestigo.study.pick import Pick

if TYPE_CHECKING:
    import pandas as pd

FRONT = ("hit_rate", "memory_peak", "stale_rate")
"""What a front is about unless something else is asked."""


@dataclass(frozen=True, eq=False, repr=False)
class Sweep(Candidates):
    """Candidates by name, in the order in which they were asked for. The first is today's settings."""

    def front(self, measures: Sequence[str] = FRONT, part: str = "whole") -> list[Candidate]:
        """The candidates that no other beats, best first. A candidate beats another if it is as good in every measure
        and better in one.

        If candidates are equal in all measures, the first one stands for all.
        """
        return unbeaten(list(self.values()), measures, part)

    def choose(
        self,
        most: str | None = None,
        *,
        least: str | None = None,
        seed: int = 0,
        **limits: str,
    ) -> Pick:
        """The candidate that is best at the plan's aim within its limits.

        ``choose("fresh_hit_rate", memory_peak="<= 64 MiB")`` names another aim, and a limit on top of the plan's own.
        In the name of a measure, write two underscores for a dot: ``read_time__p95``. Raises InputError for both `most`
        and `least`, for an unknown measure, and for limits that no outcome can keep together.
        """
        if most is not None and least is not None:
            raise InputError("choose: one measure is made best; name it as most, or as least, not both")
        for word, name in (("most", most), ("least", least)):
            if name is not None:
                try:
                    check_direction(word, name)
                except ValueError as error:
                    raise InputError(f"choose: {error}") from None
        if most is None and least is None and not limits:
            return choose(self, self.aim, seed)
        bounds = {name: _listed(texts) for name, texts in self.aim.bounds.items()}
        for name, text in limits.items():
            bounds.setdefault(name.replace("__", "."), []).extend(_listed(text))
        best = most or least or ("" if self.aim.is_usual else self.aim.best)
        return choose(self, Aim(best, bounds, self.aim.worth), seed)

    def to_pandas(self, part: str = "whole") -> "pd.DataFrame":
        """One row for each candidate, with what it changes and all measures."""
        import pandas as pd

        each = [{**one.changes, **{name: one.measure(name, part) for name in MEASURES}} for one in self.values()]
        return pd.DataFrame(each, index=pd.Index(list(self), name="candidate"))

    def to_dict(self) -> dict[str, Any]:
        """The changes and measures of each candidate, and those of no cache and the ceilings."""
        return {
            "candidates": {name: {"changes": dict(one.changes), **one.result["whole"]} for name, one in self.items()},
            "references": {name: one.result["whole"] for name, one in self.references.items()},
        }

    def __repr__(self) -> str:
        return f"<Sweep of {len(self):,} candidates, {len(self.front()):,} of them on the front; {self.today!r}>"


def _listed(texts: Any) -> list[Any]:
    return list(texts) if isinstance(texts, (list, tuple)) else [texts]
