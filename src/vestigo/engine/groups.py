"""Which rules hold for which keys: a plan applied to a trace."""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from vestigo.errors import RulesError
from vestigo.rules import Plan, PoolRules, Rules
from vestigo.rules.moments import Moments
from vestigo.trace import Trace
from vestigo.trace.names import arrow_names
from vestigo.trace.reading.pattern import Pattern
from vestigo.trace.trace import Ints, Longs

MOST_MOMENTS = 1_000_000
"""Of one rule, in a trace."""


class Group(NamedTuple):
    """Keys of one look-up that have the same rules."""

    lookup: int
    pool: int
    rules: Rules
    expires_at: Longs
    """The fixed times, within the span of the trace, at which everything loaded before expires. Ascending."""
    clears_at: Longs
    """When the group is cleared, ascending."""
    pinned: bool = False
    passes: bool = True
    """Whether its keys pass the conditions that `keep_if` puts on keys."""


class Groups(NamedTuple):
    each: tuple[Group, ...]
    key_groups: Ints
    """The group of each key."""
    pools: tuple[PoolRules, ...]
    lookups: int
    """The number of look-ups. The first groups are those of whole look-ups, in order."""
    idle_patterns: tuple[tuple[str, str], ...] = ()
    """Look-ups with patterns that no key of theirs matches."""

    @property
    def per_lookup(self) -> tuple[str, ...]:
        """For each look-up, who has a cache: a node, all, or a scope."""
        return tuple(group.rules.per for group in self.each[: self.lookups])

    @property
    def per(self) -> tuple[str, ...]:
        """The same for each pool."""
        found = {group.pool: group.rules.per for group in self.each}
        return tuple(found[pool] for pool in range(len(self.pools)))


def groups_of(trace: Trace, plan: Plan) -> Groups:
    """Raises RulesError if the plan does not fit the trace."""
    if problems := plan.unknown_lookups(trace.lookups):
        raise RulesError(problems)
    pool_names = [plan.pool_for(name) or ("", name) for name in trace.lookups]
    places = {name: place for place, name in enumerate(dict.fromkeys(pool_names))}
    pools = tuple(plan.pool_rules(trace.lookups[pool_names.index(name)]) for name in places)
    groups = [
        _group(trace, lookup, places[pool], plan.rules_for(name))
        for lookup, (name, pool) in enumerate(zip(trace.lookups, pool_names, strict=True))
    ]
    key_groups, idle = trace.key_lookup, list[tuple[str, str]]()
    for lookup, name in enumerate(trace.lookups):
        patterns = plan.rules_for_keys(name)
        if (
            any(
                rules.pin or (rules.keep_if and rules.keep_if.keys)
                for rules in (groups[lookup].rules, *patterns.values())
            )
            or patterns
        ):
            key_groups, unmatched = _divided(trace, lookup, patterns, groups, key_groups)
            idle += [(name, pattern) for pattern in unmatched]
    _check_pins(trace, groups, key_groups, pools)
    return Groups(tuple(groups), key_groups, pools, len(trace.lookups), tuple(idle))


def _group(trace: Trace, lookup: int, pool: int, rules: Rules) -> Group:
    if len(trace) == 0:
        return Group(lookup, pool, rules, np.empty(0, np.int64), np.empty(0, np.int64))
    begin, end = int(trace.at[0]), int(trace.at[-1])

    def on_the_clock(moments: Moments | None) -> Longs:
        return np.array(moments.between(begin, end, rules.zone) if moments else [], np.int64)

    clears_at = on_the_clock(rules.clear_at)
    if every := rules.clear_every:
        if trace.span_ns > MOST_MOMENTS * every:
            raise RulesError(
                f"clear_every = {every} would clear more than {MOST_MOMENTS:,} times in this trace; choose a longer one"
            )
        clears_at = np.union1d(clears_at, begin + int(every) * np.arange(1, trace.span_ns // every + 1))
    return Group(lookup, pool, rules, on_the_clock(rules.absolute_at), clears_at)


def _divided(
    trace: Trace, lookup: int, patterns: Mapping[str, Rules], groups: list[Group], key_groups: Ints
) -> tuple[Ints, list[str]]:
    """Divides a look-up in which some keys have their own rules, are pinned, or are never kept.

    Returns the group of each key and the patterns that match none, and appends new groups to `groups`.
    """
    keys = np.flatnonzero(trace.key_lookup == lookup)
    texts = arrow_names(trace.keys).cast(pa.large_string()).take(pa.array(keys))

    def matches(pattern: str) -> np.ndarray:
        return Pattern.parse("", pattern).keys(texts)[0]

    which, idle = np.full(len(keys), -1), []
    for number, pattern in enumerate(patterns):
        own = matches(pattern)
        which[(which < 0) & own] = number
        idle += [] if own.any() else [pattern]
    key_groups = key_groups.copy()
    for number, rules in enumerate((groups[lookup].rules, *patterns.values()), -1):
        pinned, passes = np.zeros(len(keys), bool), np.ones(len(keys), bool)
        for pattern in rules.pin:
            pinned |= matches(pattern)
        for pattern, wanted in rules.keep_if.keys if rules.keep_if else ():
            passes &= matches(pattern) == wanted
        base = groups[lookup] if number < 0 else _group(trace, lookup, groups[lookup].pool, rules)
        for pin in (False, True):
            for good in (False, True):
                chosen = keys[(which == number) & (pinned == pin) & (passes == good)]
                if len(chosen):
                    key_groups[chosen] = _place(groups, base._replace(pinned=pin, passes=good))
    return key_groups, idle


def _place(groups: list[Group], group: Group) -> int:
    """The number of a group: that of an equal group, or a new one."""
    first = groups[group.lookup]
    if group.rules is first.rules and (group.pinned, group.passes) == (first.pinned, first.passes):
        return group.lookup
    groups.append(group)
    return len(groups) - 1


def _check_pins(trace: Trace, groups: list[Group], key_groups: Ints, pools: tuple[PoolRules, ...]) -> None:
    if not any(group.pinned for group in groups):
        return
    keys = np.bincount(key_groups, minlength=len(groups)).tolist()
    for number, pool in enumerate(pools):
        mine = [group for group in range(len(groups)) if groups[group].pool == number and groups[group].pinned]
        pinned = sum(keys[group] for group in mine)
        if pool.max_entries is not None and pinned > pool.max_entries:
            names = ", ".join(dict.fromkeys(trace.lookups[groups[group].lookup] for group in mine))
            raise RulesError(
                f"pin takes {pinned:,} keys of {names}, but max_entries = {pool.max_entries:,}; pin fewer, or raise "
                "the limit"
            )
