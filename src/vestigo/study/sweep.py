"""``Sweep``: what `sweep` and `search` give, to be judged by its front and its pick."""

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


@dataclass(frozen=True, eq=False)
class Sweep(Candidates):
    """Candidates by name, in the order in which they were asked for; the first is today's settings."""

    def front(self, measures: Sequence[str] = FRONT, part: str = "whole") -> list[Candidate]:
        """The candidates that no other beats: none is as good in every measure and better in one. Best first.

        Of candidates that are equal in all measures the first one stands for all.
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
        """The candidate that is best at the aim within its limits: the plan's own, unless something is said here.

        ``choose("fresh_hit_rate", memory_peak="<= 64 MiB")``. In names of measures with a dot, write two low lines:
        ``read_time__p95``.
        """
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
        return f"<Sweep of {len(self):,} candidates, {len(self.front()):,} of them on the front; {self.today!r}>"
