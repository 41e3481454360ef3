"""Whether the parts of a plan fit each other: shared pools and the look-ups in them, rules of keys and of look-ups, and
what varies.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence

from vestigo.errors import RulesError, UnknownName
from vestigo.rules.origin import Origin
from vestigo.rules.plan_parts import Problem
from vestigo.rules.pool import POOL_RULES, Pool
from vestigo.rules.rules import Rules
from vestigo.rules.stated import Stated
from vestigo.rules.vary import ANY, EACH, Changes, problems_of_search

OF_A_WHOLE_LOOKUP = (*POOL_RULES, "per", "assume_size", "assume_cost")
"""Rules that no single keys can have for themselves."""


def problems_of_pools(pools: Mapping[str, Pool], common: Rules, rules_for: Callable[[str], Rules]) -> Iterator[Problem]:
    """What is wrong with shared pools. `common` are the rules of look-ups that state none."""
    owners: dict[str, str] = {}
    for name, pool in pools.items():
        for lookup in pool.lookups:
            if lookup in owners:
                problem = f"{lookup!r} is in the pool {owners[lookup]!r} already; a look-up has one"
                yield ("pool", name, "lookups"), problem
            owners.setdefault(lookup, name)
            rules = rules_for(lookup)
            for rule in POOL_RULES:
                if rules.differs(rule) and getattr(rules, rule) != getattr(common, rule):
                    yield ("lookup", lookup, rule), f"{rule} is for {lookup}'s pool; give it to pool.{name}"
            for rule, problem in _contradictions(pool, lookup, rules):
                yield ("pool", name, rule), problem
        if len({rules_for(lookup).per for lookup in pool.lookups}) > 1:
            each = ", ".join(f'{lookup} "{rules_for(lookup).per}"' for lookup in pool.lookups)
            yield ("pool", name, "lookups"), f"look-ups that share room need the same per, but here it is {each}"


def problems_of_origins(common: Origin, named: Mapping[str, Origin]) -> Iterator[Problem]:
    """What is wrong with origins. `common` answers the look-ups that no other one does."""
    if common.lookups:
        yield ("origin", "lookups"), "this origin answers all look-ups; give the ones of some a name: [origin.NAME]"
    owners: dict[str, str] = {}
    for name, origin in named.items():
        if not origin.lookups:
            yield ("origin", name, "lookups"), 'lookups is missing; write, for example, lookups = ["berth", "weather"]'
        for lookup in origin.lookups:
            if lookup in owners:
                problem = f"{lookup!r} has the origin {owners[lookup]!r} already; a look-up has one"
                yield ("origin", name, "lookups"), problem
            owners.setdefault(lookup, name)


def problems_of_keys(keys: Mapping[str, Mapping[str, Stated]]) -> Iterator[Problem]:
    """What is wrong with what is stated of keys, by look-up and pattern."""
    for lookup, patterns in keys.items():
        for pattern, stated in patterns.items():
            for rule in OF_A_WHOLE_LOOKUP:
                if rule in stated:
                    where = ("lookup", lookup, "keys", pattern, rule)
                    yield where, f"{rule} is for a whole look-up; give it to lookup.{lookup}"


def _contradictions(pool: Pool, lookup: str, rules: Rules) -> Iterator[tuple[str, str]]:
    if pool.max_bytes is not None and pool.max_bytes < rules.entry_overhead:
        yield (
            "max_bytes",
            f"max_bytes = {pool.max_bytes} is less than the entry_overhead = {rules.entry_overhead} of {lookup}; "
            "raise the first or lower the second",
        )
    if pool.eviction.name == "belady" and (rules.on_write == "drop" or rules.tell_nodes != "nothing"):
        yield (
            "eviction",
            f'eviction = "belady" and writes that drop entries of {lookup} contradict each other: it keeps a key '
            "for its next read, and a write takes it before; choose another policy",
        )


def problems_of_vary(vary: Mapping[str, Sequence[object]], changed: Callable[[Changes], object]) -> Iterator[Problem]:
    """Every value is tried alone, and where it contradicts the plan, together with each value of another key. `changed`
    makes the plan with other values.
    """
    for key, problem in problems_of_search(vary):
        yield ("vary", key), problem
    for key, values in vary.items():
        for value in values if values != ANY else ():
            try:
                changed({_of_all(key): value})
            except RulesError as error:
                if not isinstance(error, UnknownName) and _goes_with_another(vary, changed, key, value):
                    continue
                for problem in [said for _, said in error.by_rule] or error.problems:
                    yield ("vary", key), problem.removeprefix(f"{key}: ")
                if isinstance(error, UnknownName):
                    break  # the key itself is wrong


def _goes_with_another(
    vary: Mapping[str, Sequence[object]], changed: Callable[[Changes], object], key: str, value: object
) -> bool:
    for other, values in vary.items():
        for one in values if other != key and values != ANY else ():
            try:
                changed({_of_all(key): value, _of_all(other): one})
            except RulesError:
                continue
            return True
    return False


def _of_all(key: str) -> str:
    """A rule of each look-up is checked as one of all."""
    return key.replace(f"{EACH}.", "rules.", 1) if key.startswith(f"{EACH}.") else key
