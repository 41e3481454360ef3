"""``Unit``: look-ups that can be set without regard to all others, because they share no pool with them."""

from collections.abc import Mapping
from typing import NamedTuple

from vestigo.engine.job import Job
from vestigo.engine.parts import Cut, Share, shares
from vestigo.errors import RulesError
from vestigo.rules import Plan
from vestigo.rules.vary import Changes, place_of

_EACH_ALONE = Cut(fewest_rows=0)


class Unit(NamedTuple):
    """What is set together."""

    lookups: tuple[str, ...]
    pools: tuple[str, ...]
    """The shared pools among them."""

    def __str__(self) -> str:
        return ", ".join(self.lookups)


def shares_of(job: Job) -> list[Share]:
    """What is replayed of each unit, in the order of `units_of`."""
    return sorted(shares(job, _EACH_ALONE), key=lambda share: share.part.lookups)


def units_of(plan: Plan, job: Job) -> list[Unit]:
    """The units of a job's trace under a plan."""
    units = []
    for share in shares_of(job):
        names = tuple(job.trace.lookups[number] for number in share.part.lookups)
        pools = dict.fromkeys(pool for pool in map(plan.pool_for, names) if pool is not None)
        units.append(Unit(names, tuple(pools)))
    return units


def stated_now(plan: Plan, key: str) -> object:
    """What today's settings have for a dotted key, as a plan file has it."""
    _, name, rule = place_of(key)
    if rule == "zone":  # it makes no difference where there are no times of day
        return plan.rules_for(name).zone or "UTC"
    return plan.value_at(key)


def fits(plan: Plan, changes: Changes) -> bool:
    """Whether today's settings can be changed so without a contradiction."""
    tables: dict[tuple[str, str], dict[str, object]] = {}
    for key, value in changes.items():
        table, name, rule = place_of(key)
        tables.setdefault((table, name), {})[rule] = value
    return all(_fits(plan, *where, values) for where, values in tables.items())


def _fits(plan: Plan, table: str, name: str, values: Mapping[str, object]) -> bool:
    settings = plan.pools[name] if table == "pool" else plan.rules_for(name)
    try:
        settings.model_copy(update=values)
    except RulesError:
        return False
    return True
