"""A plan for a recording that lacks some of its look-ups, because another recording has them."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from typing import TypeVar

from vestigo.errors import RulesError
from vestigo.rules.origin import Origin
from vestigo.rules.plan import Plan
from vestigo.rules.pool import Pool

_Shared = TypeVar("_Shared", Pool, Origin)


def check_known(plan: Plan, recordings: Iterable[Collection[str]]) -> None:
    """Raises RulesError for a look-up of the plan that none of several recordings has, each given by its look-ups."""
    there = tuple(dict.fromkeys(name for names in recordings for name in names))
    if problems := plan.unknown_lookups(there):
        raise RulesError(problems)


def only(plan: Plan, lookups: Collection[str]) -> Plan:
    """The plan without what it says of other look-ups. Candidates and what varies stay.

    >>> from vestigo.rules import Rules
    >>> only(Plan(Rules(), {"a": {"absolute": "1m"}, "b": {"absolute": "1h"}}), ["b"]).lookups.keys()
    dict_keys(['b'])
    """
    if not plan.unknown_lookups(tuple(lookups)):
        return plan
    return replace(
        plan,
        lookups={name: rules for name, rules in plan.lookups.items() if name in lookups},
        keys={name: rules for name, rules in plan.keys.items() if name in lookups},
        pools=_shared(plan.pools, lookups),
        origins=_shared(plan.origins, lookups),
    )


def _shared(stated: Mapping[str, _Shared], lookups: Collection[str]) -> dict[str, _Shared]:
    """Those that some of the look-ups share."""
    there = {name: [one for one in each.lookups if one in lookups] for name, each in stated.items()}
    return {name: each.model_copy(update={"lookups": there[name]}) for name, each in stated.items() if there[name]}
