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


class Room(NamedTuple):
    """Keys of one look-up for which the same holds."""

    lookup: int
    pool: int
    rules: Rules
    expires_at: Longs
    """The fixed times of the trace's span at which what was loaded before expires, ascending."""
    clears_at: Longs
    """When it is cleared, ascending."""
    pinned: bool = False
    passes: bool = True
    """Whether the conditions on the key hold that `keep_if` has."""


class Rooms(NamedTuple):
    rooms: tuple[Room, ...]
    key_rooms: Ints
    """The room of each key."""
    pools: tuple[PoolRules, ...]
    lookups: int
    """How many there are: the first rooms are those of whole look-ups, in order."""

    @property
    def per_lookup(self) -> tuple[str, ...]:
        """Of each look-up: who has a cache of their own."""
        return tuple(room.rules.per for room in self.rooms[: self.lookups])

    @property
    def per(self) -> tuple[str, ...]:
        """Of each pool: who has one of their own."""
        found = {room.pool: room.rules.per for room in self.rooms}
        return tuple(found[pool] for pool in range(len(self.pools)))


def rooms_of(trace: Trace, plan: Plan) -> Rooms:
    """Raises RulesError if the plan does not fit the trace."""
    if strangers := plan.strangers(trace.lookups):
        raise RulesError(strangers)
    pool_names = [plan.pool_for(name) or ("", name) for name in trace.lookups]
    places = {name: place for place, name in enumerate(dict.fromkeys(pool_names))}
    pools = tuple(plan.pool_rules(trace.lookups[pool_names.index(name)]) for name in places)
    rooms = [
        _room(trace, lookup, places[pool], plan.rules_for(name))
        for lookup, (name, pool) in enumerate(zip(trace.lookups, pool_names, strict=True))
    ]
    key_rooms = trace.key_lookup
    for lookup, name in enumerate(trace.lookups):
        patterns = plan.rules_for_keys(name)
        if (
            any(
                rules.pin or (rules.keep_if and rules.keep_if.keys)
                for rules in (rooms[lookup].rules, *patterns.values())
            )
            or patterns
        ):
            key_rooms = _divided(trace, lookup, patterns, rooms, key_rooms)
    _check_pins(trace, rooms, key_rooms, pools)
    return Rooms(tuple(rooms), key_rooms, pools, len(trace.lookups))


def _room(trace: Trace, lookup: int, pool: int, rules: Rules) -> Room:
    if len(trace) == 0:
        return Room(lookup, pool, rules, np.empty(0, np.int64), np.empty(0, np.int64))
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
    return Room(lookup, pool, rules, on_the_clock(rules.absolute_at), clears_at)


def _divided(trace: Trace, lookup: int, patterns: Mapping[str, Rules], rooms: list[Room], key_rooms: Ints) -> Ints:
    """The keys' rooms where some keys of the look-up have rules of their own, are pinned, or are never kept.

    Adds rooms.
    """
    keys = np.flatnonzero(trace.key_lookup == lookup)
    texts = arrow_names(trace.keys).cast(pa.large_string()).take(pa.array(keys))

    def matches(pattern: str) -> np.ndarray:
        return Pattern.parse("", pattern).keys(texts)[0]

    which = np.full(len(keys), -1)
    for number, pattern in enumerate(patterns):
        which[(which < 0) & matches(pattern)] = number
    key_rooms = key_rooms.copy()
    for number, rules in enumerate((rooms[lookup].rules, *patterns.values()), -1):
        pinned, passes = np.zeros(len(keys), bool), np.ones(len(keys), bool)
        for pattern in rules.pin:
            pinned |= matches(pattern)
        for pattern, wanted in rules.keep_if.keys if rules.keep_if else ():
            passes &= matches(pattern) == wanted
        base = rooms[lookup] if number < 0 else _room(trace, lookup, rooms[lookup].pool, rules)
        for pin in (False, True):
            for good in (False, True):
                chosen = keys[(which == number) & (pinned == pin) & (passes == good)]
                if len(chosen):
                    key_rooms[chosen] = _place(rooms, base._replace(pinned=pin, passes=good))
    return key_rooms


def _place(rooms: list[Room], room: Room) -> int:
    """Of a room that is like another one with the same rules, or is new."""
    first = rooms[room.lookup]
    if room.rules is first.rules and (room.pinned, room.passes) == (first.pinned, first.passes):
        return room.lookup
    rooms.append(room)
    return len(rooms) - 1


def _check_pins(trace: Trace, rooms: list[Room], key_rooms: Ints, pools: tuple[PoolRules, ...]) -> None:
    if not any(room.pinned for room in rooms):
        return
    keys = np.bincount(key_rooms, minlength=len(rooms)).tolist()
    for number, pool in enumerate(pools):
        mine = [room for room in range(len(rooms)) if rooms[room].pool == number and rooms[room].pinned]
        pinned = sum(keys[room] for room in mine)
        if pool.max_entries is not None and pinned > pool.max_entries:
            names = ", ".join(dict.fromkeys(trace.lookups[rooms[room].lookup] for room in mine))
            raise RulesError(
                f"pin takes {pinned:,} keys of {names}, but max_entries = {pool.max_entries:,}; pin fewer, or raise "
                "the limit"
            )
