"""The rules that a plan states, and for each the plans in which only this rule is changed."""

import dataclasses
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from vestigo.explaining.hypotheses.amounts import multiple
from vestigo.rules import Plan, Pool, Rules
from vestigo.rules.plan_text import rule_text
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.rule import rules_of
from vestigo.rules.stated import Stated
from vestigo.rules.values import Nulls
from vestigo.trace import Trace
from vestigo.units import Duration

_ASSUMED = "what things take"
"""The heading of rules that say how things are, not how they are to be."""
_OF_OTHERS = ("zone",)
"""Means nothing by itself."""


@dataclass(frozen=True)
class StatedRule:
    """One rule in one table of a plan."""

    table: tuple[str, ...]
    """``("rules",)``, ``("lookup", NAME)``, ``("lookup", NAME, "keys", PATTERN)`` or ``("pool", NAME)``."""
    rule: str
    value: object

    @property
    def key(self) -> str:
        """As a plan has it: ``lookup.vessel.sliding``."""
        return ".".join((*self.table, self.rule))

    @property
    def written(self) -> str:
        """The value as a plan file writes it."""
        return rule_text(self.rule, self.value)

    def steps(self) -> Iterator[tuple[str, object]]:
        """Half of the rule's amount, and double."""
        for what, times in (("half", Fraction(1, 2)), ("double", Fraction(2))):
            stepped = _times(self.value, times)
            if stepped is not None and stepped != self.value:
                yield what, stepped


def stated_rules(plan: Plan, trace: Trace) -> list[StatedRule]:
    """The stated rules of look-ups that the trace has. Assumptions are left out."""
    headings = {name: rule.heading for name, rule in rules_of(Rules).items()}
    tables: dict[tuple[str, ...], Mapping[str, object]] = {("rules",): Stated.by(plan.rules)}
    tables |= {("lookup", name): Stated.by(layer) for name, layer in plan.lookups.items() if name in trace.lookups}
    for name, patterns in plan.keys.items():
        tables |= {("lookup", name, "keys", pattern): Stated.by(layer) for pattern, layer in patterns.items()}
    for name, pool in plan.pools.items():
        tables["pool", name] = {rule: getattr(pool, rule) for rule in POOL_RULES if rule in pool.model_fields_set}
    return [
        StatedRule(table, rule, value)
        for table, layer in tables.items()
        for rule, value in layer.items()
        if rule not in _OF_OTHERS and headings.get(rule) != _ASSUMED
    ]


def without(plan: Plan, stated: StatedRule) -> Plan:
    """The plan without the rule, so that the layer below decides, or the default. Raises RulesError."""
    return _remade(plan, stated, lambda layer: {name: value for name, value in layer.items() if name != stated.rule})


def with_value(plan: Plan, stated: StatedRule, value: object) -> Plan:
    """Raises RulesError."""
    return _remade(plan, stated, lambda layer: {**layer, stated.rule: value})


def _remade(plan: Plan, stated: StatedRule, change: Any) -> Plan:
    kind, *names = stated.table
    if kind == "rules":
        return dataclasses.replace(plan, rules=Rules(**change(Stated.by(plan.rules))))
    if kind == "pool":
        pool = plan.pools[names[0]]
        said = {name: getattr(pool, name) for name in pool.model_fields_set}
        return dataclasses.replace(plan, pools={**plan.pools, names[0]: Pool(**change(said))})
    if len(names) == 1:
        return dataclasses.replace(plan, lookups={**plan.lookups, names[0]: change(Stated.by(plan.lookups[names[0]]))})
    name, _, pattern = names
    patterns = {**plan.keys[name], pattern: change(Stated.by(plan.keys[name][pattern]))}
    return dataclasses.replace(plan, keys={**plan.keys, name: patterns})


def _times(value: object, times: Fraction) -> object:
    """A multiple of the rule's amount, or None if it is not an amount."""
    if isinstance(value, bool):
        return None
    if isinstance(value, int):
        return None if isinstance(value, Duration) and not value else multiple(value, times)
    if isinstance(value, Fraction):
        return min(value * times, Fraction(1)) if value else None
    if isinstance(value, Nulls) and value.lifetime is not None:
        return value._replace(lifetime=Duration(multiple(value.lifetime, times)))
    return None
