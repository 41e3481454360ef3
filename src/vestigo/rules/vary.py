"""Changes some rules of a plan, and makes every combination of several changes."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import product
from math import prod
from typing import TYPE_CHECKING, Any, TypeVar

from vestigo.errors import RulesError
from vestigo.rules.pool import Pool
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.trade_words import unknown_rule

if TYPE_CHECKING:
    from vestigo.rules.plan import Plan

Changes = Mapping[str, Any]
"""New values by dotted key: ``rules.absolute``, ``lookup.vessel.max_entries``, ``pool.desk.max_bytes``."""

_Settings = TypeVar("_Settings", Rules, Pool)
_SHOWN = "rules.RULE, lookup.NAME.RULE or pool.NAME.RULE"


def changed(plan: "Plan", changes: Changes) -> "Plan":
    """The plan with these changes.

    A change of ``rules`` reaches every look-up and key that does not state the rule itself. Raises RulesError for a key
    that names no rule, and for values that mean nothing.

    >>> from vestigo.rules import Plan
    >>> changed(Plan(Rules(max_entries=5)), {"rules.max_entries": 9}).rules
    Rules(max_entries=9)
    """
    rules: dict[str, Any] = {}
    lookups: dict[str, dict[str, Any]] = {}
    pools: dict[str, dict[str, Any]] = {}
    for key, value in changes.items():
        table, name, rule = place_of(key)
        if table == "rules" and not name and rule in Rules.model_fields:
            rules[rule] = value
        elif table == "lookup" and name and rule in Rules.model_fields:
            lookups.setdefault(name, {})[rule] = value
        elif table == "pool" and name in plan.pools and rule in Pool.model_fields and rule != "lookups":
            pools.setdefault(name, {})[rule] = value
        else:
            raise RulesError(f"{key}: {_what_is_wrong(plan, table, name, rule)}")
    own = {
        name: {**Stated.by(plan.lookups.get(name, {})), **lookups.get(name, {})} for name in [*plan.lookups, *lookups]
    }
    shared = {name: _remade(pool, pools.get(name, {})) for name, pool in plan.pools.items()}
    return replace(plan, rules=_remade(plan.rules, rules), lookups=own, pools=shared, candidates={}, vary={})


def place_of(key: str) -> tuple[str, str, str]:
    """The table of a dotted key, the name in it if there is one, and the rule.

    >>> place_of("lookup.a.b.absolute"), place_of("rules.absolute")
    (('lookup', 'a.b', 'absolute'), ('rules', '', 'absolute'))
    """
    table, _, rest = key.partition(".")
    name, _, rule = rest.rpartition(".")
    return table, name.strip("\"'"), rule


def combinations(vary: Mapping[str, Sequence[Any]]) -> Iterator[dict[str, Any]]:
    """Every combination of one value for each key. The last key changes fastest.

    >>> [list(one.values()) for one in combinations({"a": [1, 2], "b": [3, 4]})]
    [[1, 3], [1, 4], [2, 3], [2, 4]]
    """
    return (dict(zip(vary, values, strict=True)) for values in product(*vary.values()))


def count(vary: Mapping[str, Sequence[Any]]) -> int:
    """How many combinations there are."""
    return prod(map(len, vary.values())) if vary else 0


def name_of(changes: Changes) -> str:
    """The name of a candidate: what is different about it.

    >>> name_of({"lookup.vessel.max_entries": 500, "rules.absolute": "5m"})
    'vessel.max_entries=500, absolute=5m'
    """
    return ", ".join(f"{key.removeprefix('lookup.').removeprefix('rules.')}={value}" for key, value in changes.items())


def _remade(settings: _Settings, changes: Changes) -> _Settings:
    """The plan made and checked anew, with everything else that it says."""
    if not changes:
        return settings
    stated = {name: getattr(settings, name) for name in settings.model_fields_set}
    return type(settings)(**stated | dict(changes))


def _what_is_wrong(plan: "Plan", table: str, name: str, rule: str) -> str:
    if table not in ("rules", "lookup", "pool") or not rule:
        return f"is not a setting; write {_SHOWN}"
    if table == "pool" and name not in plan.pools:
        return f"there is no pool {name!r}; write {_SHOWN}"
    return unknown_rule(rule, list((Pool if table == "pool" else Rules).model_fields))
