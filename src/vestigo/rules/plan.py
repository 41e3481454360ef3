"""A plan: rules for each look-up, and named alternatives to them."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import Any

from vestigo.errors import RulesError, unknown
from vestigo.rules.rules import Rules
from vestigo.rules.values import warm_up
from vestigo.trace import Intake
from vestigo.units import Duration


def _frozen(mapping: Mapping[str, Any]) -> Mapping[str, Any]:
    return MappingProxyType(dict(mapping))


@dataclass(frozen=True)
class Plan:
    """Today's settings and the candidates for better ones.

    `rules` hold for every look-up that `lookups` does not name. A candidate is a plan of its own.
    `warm_up` is how much is replayed before counting begins: a duration, or a number of reads.

    >>> plan = Plan(Rules(max_entries=500), lookups={"vessel": Rules(max_entries=50)})
    >>> plan.rules_for("vessel").max_entries, plan.rules_for("berth").max_entries
    (50, 500)
    """

    rules: Rules = Rules()
    lookups: Mapping[str, Rules] = field(default_factory=dict)
    candidates: Mapping[str, "Plan"] = field(default_factory=dict)
    warm_up: Duration | int = Duration(0)
    trace_path: Path | None = None
    intake: Intake = Intake()
    """What the columns of the trace's file mean."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "lookups", _frozen(self.lookups))
        object.__setattr__(self, "candidates", _frozen(self.candidates))
        try:
            object.__setattr__(self, "warm_up", warm_up(self.warm_up))
        except ValueError as error:
            raise RulesError(f"warm_up: {error}") from None

    def rules_for(self, lookup: str) -> Rules:
        return self.lookups.get(lookup, self.rules)

    def each_rules(self, lookups: tuple[str, ...]) -> tuple[Rules, ...]:
        """The rules of each of a trace's look-ups. Raises RulesError if the plan names others."""
        strangers = [name for name in self.lookups if name not in lookups]
        if strangers:
            raise RulesError(
                [f"the plan's look-up is not in the trace: {unknown(name, list(lookups))}" for name in strangers]
            )
        return tuple(self.rules_for(name) for name in lookups)
