"""What may be wrong with a plan, before a replay has judged it."""

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

Judged = Literal["aim", "no worse", "surge", "calls", "shared calls", "false_nulls", "age", "nothing"]
"""What must get better by a fix, or else nothing is said: the aim; the busiest second; origin calls, by more than hits
are lost; a fifth of the look-up's origin calls; wrong "not found"; the oldest answer. ``no worse``: the aim is as good.
``nothing``: the evidence says enough."""


class Suspicion(NamedTuple):
    kind: str
    where: str
    """The rule, or the look-up, as a plan names it."""
    evidence: str
    fixes: tuple[Mapping[str, Any], ...] = ()
    """Possible changes by dotted key. The best one is taken."""
    judged: Judged = "aim"
    meant: str = ""
    """What is added to the evidence if the first fix helps. That fix is taken then, even if another one is better."""
