"""A plan: rules for each look-up, and named alternatives to them."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import Any

from vestigo.errors import RulesError, unknown
from vestigo.rules.aim import Aim
from vestigo.rules.pool import POOL_RULES, Pool, PoolRules
from vestigo.rules.rules import Rules
from vestigo.rules.values import warm_up
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake
from vestigo.units import Duration

_OF_A_WHOLE_LOOKUP = (*POOL_RULES, "per", "assume_size", "assume_cost")
"""Rules that no single keys can have for themselves."""

Problem = tuple[tuple[str, ...], str]
"""Where in a plan, and a sentence."""


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
    keys: Mapping[str, Mapping[str, Rules]] = field(default_factory=dict)
    """By look-up and pattern (``{"chart": {"14/{...}": Rules(...)}}``): rules for the keys that match. Of several
    patterns the first one counts."""
    pools: Mapping[str, Pool] = field(default_factory=dict)
    """Room that several look-ups share; every other look-up has room of its own."""
    candidates: Mapping[str, "Plan"] = field(default_factory=dict)
    warm_up: Duration | int = Duration(0)
    trace_path: Path | None = None
    intake: Intake = Intake()
    """What the columns of the trace's file mean."""
    what_if: WhatIf = WhatIf()
    """What is to be different about the trace."""
    vary: Mapping[str, Sequence[Any]] = field(default_factory=dict)
    """By dotted key (``"lookup.vessel.max_entries"``): values of which a sweep tries every combination."""
    aim: Aim = Aim()
    """What `Study.choose` makes best, and within which limits."""

    def __post_init__(self) -> None:
        for name in ("lookups", "pools", "candidates", "vary"):
            object.__setattr__(self, name, _frozen(getattr(self, name)))
        object.__setattr__(self, "keys", _frozen({name: _frozen(each) for name, each in self.keys.items()}))
        try:
            object.__setattr__(self, "warm_up", warm_up(self.warm_up))
        except ValueError as error:
            raise RulesError(f"warm_up: {error}") from None
        if found := list(self._problems()):
            raise RulesError([f"{'.'.join(where)}: {problem}" for where, problem in found], by_place=found)

    def rules_for(self, lookup: str) -> Rules:
        return self.lookups.get(lookup, self.rules)

    def pool_for(self, lookup: str) -> str | None:
        """The shared pool of a look-up, if it has one."""
        return next((name for name, pool in self.pools.items() if lookup in pool.lookups), None)

    def pool_rules(self, lookup: str) -> PoolRules:
        """Of the room that a look-up's entries are in."""
        shared = self.pool_for(lookup)
        return self.rules_for(lookup) if shared is None else self.pools[shared]

    def all_rules(self) -> Iterator[Rules]:
        """Every rules that the plan has."""
        yield self.rules
        yield from self.lookups.values()
        for each in self.keys.values():
            yield from each.values()

    def to_dict(self) -> dict[str, Any]:
        """What is replayed, as JSON can have it: rules, pools, warm-up and what is different about the trace."""
        return {
            "rules": self.rules.to_dict(),
            "lookups": {name: rules.to_dict() for name, rules in self.lookups.items()},
            "keys": {
                name: {pattern: rules.to_dict() for pattern, rules in each.items()}
                for name, each in self.keys.items()
                if each
            },
            "pools": {name: pool.to_dict() for name, pool in self.pools.items()},
            "warm_up": self.warm_up if self.warm_up and type(self.warm_up) is int else str(Duration(self.warm_up)),
            "what_if": self.what_if.to_dict(),
        }

    @classmethod
    def from_dict(cls, stated: Mapping[str, Any]) -> "Plan":
        """The plan that `to_dict` told."""
        return cls(
            rules=Rules(**stated["rules"]),
            lookups={name: Rules(**rules) for name, rules in stated["lookups"].items()},
            keys={
                name: {pattern: Rules(**rules) for pattern, rules in each.items()}
                for name, each in stated["keys"].items()
            },
            pools={name: Pool(**pool) for name, pool in stated["pools"].items()},
            warm_up=stated["warm_up"],
            what_if=WhatIf(**stated["what_if"]),
        )

    def strangers(self, lookups: tuple[str, ...]) -> list[str]:
        """A sentence for every look-up that the plan names and the trace does not."""
        pooled = [name for pool in self.pools.values() for name in pool.lookups]
        named = dict.fromkeys([*self.lookups, *self.keys, *pooled])
        return [
            f"the plan's look-up is not in the trace: {unknown(name, list(lookups))}"
            for name in named
            if name not in lookups
        ]

    def _problems(self) -> Iterator[Problem]:
        owners: dict[str, str] = {}
        for name, pool in self.pools.items():
            for lookup in pool.lookups:
                if lookup in owners:
                    problem = f"{lookup!r} is in the pool {owners[lookup]!r} already; a look-up has one"
                    yield ("pool", name, "lookups"), problem
                owners.setdefault(lookup, name)
                yield from self._misfits(name, pool, lookup)
            if len({self.rules_for(lookup).per for lookup in pool.lookups}) > 1:
                each = ", ".join(f'{lookup} "{self.rules_for(lookup).per}"' for lookup in pool.lookups)
                yield ("pool", name, "lookups"), f"look-ups that share room need the same per; here it is {each}"
        for lookup, patterns in self.keys.items():
            for pattern, rules in patterns.items():
                for rule in _OF_A_WHOLE_LOOKUP:
                    if rules.differs(rule) and getattr(rules, rule) != getattr(self.rules_for(lookup), rule):
                        where = ("lookup", lookup, "keys", pattern, rule)
                        yield where, f"{rule} is for a whole look-up; give it to lookup.{lookup}"

    def _misfits(self, name: str, pool: Pool, lookup: str) -> Iterator[Problem]:
        rules = self.rules_for(lookup)
        for rule in POOL_RULES:
            if rules.differs(rule) and getattr(rules, rule) != getattr(self.rules, rule):
                yield ("lookup", lookup, rule), f"{rule} is for {lookup}'s pool; give it to pool.{name}"
        if pool.max_bytes is not None and pool.max_bytes < rules.entry_overhead:
            yield (
                ("pool", name, "max_bytes"),
                f"max_bytes = {pool.max_bytes} is less than the entry_overhead = {rules.entry_overhead} of {lookup}; "
                "raise the one or lower the other",
            )
        if pool.eviction.name == "belady" and (rules.on_write == "drop" or rules.tell_nodes != "nothing"):
            yield (
                ("pool", name, "eviction"),
                f'eviction = "belady" with writes that drop entries of {lookup} means nothing: it keeps a key for its '
                "next read, and a write takes it before; choose another policy",
            )
