"""What may be wrong with a plan, before a replay has judged it."""

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

Judged = Literal["aim", "no worse", "surge", "calls", "false_nulls", "age", "nothing"]
"""What must get better by a mend, or else nothing is said: the aim; the busiest second; origin calls, by more than hits
are lost; false_nulls; the oldest answer. ``no worse``: the aim is as good. ``nothing``: the evidence says enough."""

WARM_UP = "trace.warm_up"
"""The one change that is of no rule."""


class Suspicion(NamedTuple):
    kind: str
    where: str
    """The rule, or the look-up, as a plan names it."""
    evidence: str
    mends: tuple[Mapping[str, Any], ...] = ()
    """Possible changes by dotted key. The best one is taken."""
    judged: Judged = "aim"
