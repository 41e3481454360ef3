"""One replay's outcome: the measures of all look-ups together, of each, and over time."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, NamedTuple

from vestigo.data import ByName, can_be_kept
from vestigo.outcome.measures import Measures
from vestigo.outcome.slices import Slices
from vestigo.outcome.summary import Summary

if TYPE_CHECKING:
    import pandas as pd


def unknown_staleness(oldest: str | None) -> str:
    """What is said about freshness if a trace shows no changes."""
    age = f"; the oldest was given {oldest} after its load" if oldest else ""
    return f"this trace shows no changes, so how many answers were old is unknown{age}"


@can_be_kept
class Mark(NamedTuple):
    """A clear or a restart, which time axes show."""

    at_ns: int
    what: str


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Outcome(Measures):
    """What one replay counted after its warm-up. Its own measures are those of all look-ups together, and `lookups` has
    those of each.
    """

    lookups: Mapping[str, Measures]
    slices: Slices
    marks: tuple[Mark, ...] = ()
    name: str = "replay"
    whose: str = ""
    """Whose cache was replayed, if the trace names nodes or the rules ask for scopes: ``4 nodes, a cache each``."""
    assumptions: tuple[str, ...] = ()
    """What the numbers assume that neither the trace nor the rules state."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "lookups", ByName("look-up", self.lookups))

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each look-up, then one for all. Nested measures have names like ``read_time.p95``."""
        import pandas as pd

        whole = replace(Summary.of(self), whose=None)
        rows = {name: one.to_dict() for name, one in whole.lookups.items()} | {"all": whole.to_dict()}
        return pd.json_normalize(list(rows.values())).set_index(pd.Index(rows, name="lookup"))

    def __repr__(self) -> str:
        return f"<Outcome {self.name}: {f'{self.whose}, ' if self.whose else ''}{self.in_words}>"
