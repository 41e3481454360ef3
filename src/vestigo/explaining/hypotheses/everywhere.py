"""Sets rules for all look-ups of a trace, or for some, wherever a plan states them today."""

from collections.abc import Mapping, Sequence
from typing import Any

from vestigo.rules import Plan, Pool
from vestigo.rules.stated import Stated


def keys_for(plan: Plan, rules: Mapping[str, Any], lookups: Sequence[str], every: Sequence[str]) -> dict[str, Any]:
    """The dotted keys and values that make rules hold for some `lookups`, where `every` has all of them.

    >>> plan = Plan(lookups={"vessel": {"sliding": "5m"}})
    >>> keys_for(plan, {"sliding": "1m"}, ["vessel", "berth"], ["vessel", "berth"])
    {'rules.sliding': '1m', 'lookup.vessel.sliding': '1m'}
    """
    changes: dict[str, Any] = {}
    is_all = len(lookups) == len(every)
    for rule, value in rules.items():
        if is_all:
            changes[f"rules.{rule}"] = value
        for name in lookups:
            pool = plan.pool_for(name)
            if pool is not None and rule in Pool.model_fields:
                changes[f"pool.{pool}.{rule}"] = value
            elif not is_all or rule in Stated.by(plan.lookups.get(name, {})):
                changes[f"lookup.{name}.{rule}"] = value
    return changes
