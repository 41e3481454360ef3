"""A plan: the rules of each look-up, and named alternatives to them."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from vestigo.errors import RulesError, unknown
from vestigo.rules.aim import Aim
from vestigo.rules.counter_names import CounterNames
from vestigo.rules.pool import POOL_RULES, Pool, PoolRules
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.values import warm_up
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake
from vestigo.units import Duration

_OF_A_WHOLE_LOOKUP = (*POOL_RULES, "per", "assume_size", "assume_cost")
"""Rules that no single keys can have for themselves."""


class Called(NamedTuple):
    """What outputs call the settings of a plan: today's, unless others were stated over them for this call."""

    stated: str = ""
    """What was stated, such as ``plan.toml with absolute = 1h``."""

    @property
    def words(self) -> str:
        return f"these settings ({self.stated})" if self.stated else "today's settings"

    @property
    def short(self) -> str:
        return "these settings" if self.stated else "today"


Layer = Rules | Mapping[str, Any]
"""What is stated of a look-up, or of some of its keys."""

Problem = tuple[tuple[str, ...], str]
"""Where in a plan, and a sentence."""


def _frozen(mapping: Mapping[str, Any]) -> Mapping[str, Any]:
    return MappingProxyType(dict(mapping))


def _made_again(parts: dict[str, Any]) -> "Plan":
    return Plan(**parts)


@dataclass(frozen=True)
class Plan:
    """Today's settings and the candidates for better ones.

    `rules` hold for every look-up, except where `lookups` states something else for it. A candidate is a plan of its
    own. `warm_up` is what is replayed before counting begins: a duration, or a number of reads.

    >>> plan = Plan(Rules(max_entries=500, absolute="1h"), lookups={"vessel": {"max_entries": 50}})
    >>> plan.rules_for("vessel"), plan.rules_for("berth").max_entries
    (Rules(max_entries=50, absolute='1h'), 500)
    """

    rules: Rules = Rules()
    lookups: Mapping[str, Layer] = field(default_factory=dict)
    """What is stated for single look-ups: `Rules` (only what was given when they were made), or a mapping."""
    keys: Mapping[str, Mapping[str, Layer]] = field(default_factory=dict)
    """What is stated for keys, by look-up and pattern (``{"chart": {"14/{...}": {"absolute": "2h"}}}``). If several
    patterns match a key, the first one counts.
    """
    pools: Mapping[str, Pool] = field(default_factory=dict)
    """Room that several look-ups share. Every other look-up has its own room."""
    candidates: Mapping[str, "Plan"] = field(default_factory=dict)
    warm_up: Duration | int = Duration(0)
    trace_path: Path | None = None
    intake: Intake = Intake()
    """What the columns of the trace's file mean."""
    what_if: WhatIf = WhatIf()
    """Circumstances that are to differ from the trace."""
    vary: Mapping[str, Sequence[Any]] = field(default_factory=dict)
    """Values by dotted key (``"lookup.vessel.max_entries"``). A sweep tries every combination of them."""
    aim: Aim = Aim()
    """What `Sweep.choose` makes best, and within which limits."""
    counters: CounterNames = CounterNames()
    """Which counters of the running service mean what."""
    called: Called = field(default=Called(), compare=False)
    """What outputs call these settings."""

    _rules_for: Mapping[str, Rules] = field(init=False, repr=False, compare=False)
    _rules_for_keys: Mapping[str, Mapping[str, Rules]] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        for name in ("pools", "candidates", "vary"):
            object.__setattr__(self, name, _frozen(getattr(self, name)))
        self._lay()
        try:
            object.__setattr__(self, "warm_up", warm_up(self.warm_up))
        except ValueError as error:
            raise RulesError(f"warm_up: {error}") from None
        if found := list(self._problems()):
            raise RulesError([f"{'.'.join(where)}: {problem}" for where, problem in found], by_place=found)

    def _lay(self) -> None:
        """Works out which rules hold for each look-up and pattern. Raises RulesError."""
        problems: list[Problem] = []

        def laid(layer: Layer, base: Rules, *where: str) -> tuple[Stated, Rules]:
            stated = Stated.by(layer)
            try:
                rules = stated.over(base)
            except RulesError as error:
                problems.extend(((*where, *((rule,) if rule else ())), problem) for rule, problem in error.by_rule)
                return Stated({}), base
            return stated.read_by(rules), rules

        of_lookups = {name: laid(layer, self.rules, "lookup", name) for name, layer in self.lookups.items()}
        rules_for = {name: rules for name, (_, rules) in of_lookups.items()}
        of_keys = {
            name: {
                pattern: laid(layer, rules_for.get(name, self.rules), "lookup", name, "keys", pattern)
                for pattern, layer in each.items()
            }
            for name, each in self.keys.items()
        }
        if problems:
            raise RulesError([f"{'.'.join(where)}: {problem}" for where, problem in problems], by_place=problems)
        object.__setattr__(self, "lookups", _frozen({name: stated for name, (stated, _) in of_lookups.items()}))
        object.__setattr__(
            self,
            "keys",
            _frozen(
                {
                    name: _frozen({pattern: stated for pattern, (stated, _) in each.items()})
                    for name, each in of_keys.items()
                }
            ),
        )
        object.__setattr__(self, "_rules_for", rules_for)
        object.__setattr__(
            self,
            "_rules_for_keys",
            {name: {pattern: rules for pattern, (_, rules) in each.items()} for name, each in of_keys.items()},
        )

    def rules_for(self, lookup: str) -> Rules:
        """The rules that hold for a look-up."""
        return self._rules_for.get(lookup, self.rules)

    def rules_for_keys(self, lookup: str) -> Mapping[str, Rules]:
        """The rules for keys of a look-up, by pattern. The first pattern that matches a key counts."""
        return self._rules_for_keys.get(lookup, {})

    def pool_for(self, lookup: str) -> str | None:
        """The shared pool of a look-up, if it has one."""
        return next((name for name, pool in self.pools.items() if lookup in pool.lookups), None)

    def pool_rules(self, lookup: str) -> PoolRules:
        """The rules of the pool in which a look-up's entries are."""
        shared = self.pool_for(lookup)
        return self.rules_for(lookup) if shared is None else self.pools[shared]

    def all_rules(self) -> Iterator[Rules]:
        """All `Rules` in the plan."""
        yield self.rules
        yield from self._rules_for.values()
        for each in self._rules_for_keys.values():
            yield from each.values()

    def __reduce__(self) -> tuple[Any, ...]:
        def plain(value: Any) -> Any:
            return {name: plain(one) for name, one in value.items()} if isinstance(value, MappingProxyType) else value

        return _made_again, ({one.name: plain(getattr(self, one.name)) for one in fields(self) if one.init},)

    def to_dict(self) -> dict[str, Any]:
        """What is replayed, as plain data: rules, pools, warm-up, and circumstances that differ from the trace."""
        return {
            "rules": self.rules.to_dict(),
            "lookups": {name: Stated.by(stated).to_dict() for name, stated in self.lookups.items()},
            "keys": {
                name: [[pattern, Stated.by(stated).to_dict()] for pattern, stated in each.items()]
                for name, each in self.keys.items()
                if each
            },
            "pools": {name: pool.to_dict() for name, pool in self.pools.items()},
            "warm_up": self.warm_up if self.warm_up and type(self.warm_up) is int else str(Duration(self.warm_up)),
            "what_if": self.what_if.to_dict(),
        }

    @classmethod
    def from_dict(cls, stated: Mapping[str, Any]) -> "Plan":
        """The plan from the data of `to_dict`."""
        return cls(
            rules=Rules(**stated["rules"]),
            lookups=stated["lookups"],
            keys={name: dict(each) for name, each in stated["keys"].items()},
            pools={name: Pool(**pool) for name, pool in stated["pools"].items()},
            warm_up=stated["warm_up"],
            what_if=WhatIf(**stated["what_if"]),
        )

    def unknown_lookups(self, lookups: tuple[str, ...]) -> list[str]:
        """A sentence for every look-up that the plan names but the trace does not have."""
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
                yield ("pool", name, "lookups"), f"look-ups that share room need the same per, but here it is {each}"
        for lookup, patterns in self._rules_for_keys.items():
            for pattern, rules in patterns.items():
                for rule in _OF_A_WHOLE_LOOKUP:
                    if getattr(rules, rule) != getattr(self.rules_for(lookup), rule):
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
                "raise the first or lower the second",
            )
        if pool.eviction.name == "belady" and (rules.on_write == "drop" or rules.tell_nodes != "nothing"):
            yield (
                ("pool", name, "eviction"),
                f'eviction = "belady" and writes that drop entries of {lookup} contradict each other: it keeps a key '
                "for its next read, and a write takes it before; choose another policy",
            )
