"""A job as the kernel is asked for it: the plain replay where that knows all of its rules, else the full one."""

from typing import Any

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.rooms import Room
from vestigo.errors import RulesError
from vestigo.prepared.entries import Entries, has_unnamed_node
from vestigo.prepared.scopes import scopes_of
from vestigo.rules import PoolRules, Rules
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING

_MOST_ROOMS = 65_535
_KERNEL_NAMES = {"2q": "two_q", "w-tinylfu": "w_tiny_lfu"}

_NOT_PLAIN = "absolute_at refresh_ahead serve_stale collect keep_if tell_nodes batch hit_cost_per_kib".split()
"""Rules that the plain replay does not know, unless they have their defaults."""


def is_plain(trace: Trace, job: Job) -> bool:
    """Whether the plain replay will do."""
    rooms = job.rooms.rooms
    if len(rooms) > len(trace.lookups) or Op.PRELOAD in trace.ops or len(rooms) * _places(trace) > _MOST_ROOMS:
        return False
    return not any(
        room.pinned
        or room.rules.per == "scope"
        or room.rules.on_write == "replace, reload"
        or any(map(room.rules.differs, _NOT_PLAIN))
        for room in rooms
    )


def _places(trace: Trace) -> int:
    return len(trace.nodes) + has_unnamed_node(trace)


def begin_plain(trace: Trace, job: Job, entries: Entries) -> Any:
    rooms, key_rooms, pools, _ = job.rooms
    table = np.zeros((max(len(rooms), 1), len(trace.nodes) + 1), np.int32)
    places: list[tuple[int, int, int]] = []  # of each room: its look-up, its node, its pool
    shared: dict[tuple[int, int], int] = {}
    has_keys = np.bincount(trace.key_lookup, minlength=len(rooms)) > 0
    first_node = 0 if has_unnamed_node(trace) else 1
    for lookup, room in enumerate(rooms):
        if not has_keys[lookup]:
            continue
        for node in range(first_node, len(trace.nodes) + 1) if entries.apart[lookup] else (0,):
            table[lookup, node] = len(places)
            places.append((lookup, node - 1, shared.setdefault((room.pool, node), len(shared))))
    places = places or [(0, MISSING, shared.setdefault((0, 0), 0))]
    of_entry = _ids(key_rooms)
    if entries.places is not None:
        of_entry = table.ravel()[entries.places]
    elif len(key_rooms):
        of_entry = table[:, 0][key_rooms]
    pool_rules = [_pool_rules(pool) for pool in pools] or [kernel.PoolRules()]
    return kernel.Replay(
        of_entry,
        entries.keys,
        entries.is_first,
        max(len(trace.keys), 1),
        [_rules(kernel.Rules(), room.rules) for room in rooms] or [kernel.Rules()],
        [lookup for lookup, _, _ in places],
        [node for _, node, _ in places],
        [bool(entries.apart) and entries.apart[lookup] for lookup, _, _ in places],
        [pool for _, _, pool in places],
        [pool_rules[pool] for pool, _ in shared],
        [room.clears_at for room in rooms] or [np.empty(0, np.int64)],
        *_counting(trace, job),
    )


def begin_full(trace: Trace, job: Job, entries: Entries) -> Any:
    rooms, key_rooms, pools, _ = job.rooms
    scopes = scopes_of(trace) if "scope" in job.rooms.per or any(room.rules.batch for room in rooms) else None
    nodes = entries.nodes
    if nodes is None and "node" in job.rooms.per and not has_unnamed_node(trace):
        nodes = _ids(np.array([room.rules.per == "node" for room in rooms], np.int32)[key_rooms])  # there is one
    return kernel.Replay(
        _ids(key_rooms if entries.keys is None else key_rooms[entries.keys]),
        entries.keys,
        nodes,
        max(len(trace.keys), 1),
        [_room_rules(room) for room in rooms],
        [_pool_rules(pool) for pool in pools],
        [kernel.Per[per] for per in job.rooms.per],
        [room.clears_at for room in rooms],
        [room.expires_at for room in rooms],
        len(trace.lookups),
        len(trace.nodes),
        has_unnamed_node(trace),
        scopes.last_rows if scopes else np.full(int(trace.scope.max()) + 2, -1, np.int64),
        scopes.at_once if scopes else 0,
        scopes.keys_at_once if scopes else 0,
        *_counting(trace, job),
    )


def _ids(key_rooms: np.ndarray) -> np.ndarray:
    return key_rooms if len(key_rooms) else np.zeros(1, np.int32)


def _counting(trace: Trace, job: Job) -> tuple[Any, ...]:
    """What every replay is told last: when counting begins, how loads end, the slices."""
    slicing = job.slicing
    timed = not job.instant and max(trace.costs.most, *job.assumed.cost, 0) > 0
    loading = kernel.Loading.timed if timed else kernel.Loading.instant if job.spares is None else kernel.Loading.spared
    return job.first_counted, loading, job.spares or 0, slicing.origin_ns, slicing.width_ns, slicing.most


def _room_rules(room: Room) -> Any:
    rules, made = room.rules, _rules(kernel.RoomRules(), room.rules)
    made.lookup, made.pool, made.pinned, made.passes = room.lookup, room.pool, room.pinned, room.passes
    if rules.keep_if is not None:
        if rules.keep_if.own is not None:
            raise RulesError(f'keep_if: {rules.keep_if} is in Python; replay it with engine="reference"')
        for bound in ("least_size", "most_size", "least_cost", "most_cost"):
            setattr(made, bound, getattr(rules.keep_if, bound))
    if rules.refresh_ahead is not None:
        made.refresh_of, made.refresh_to = rules.refresh_ahead.numerator, rules.refresh_ahead.denominator
    made.collect = kernel.Collect[rules.collect.mode]
    if rules.collect.every is not None:
        made.collect_every = int(rules.collect.every)
    made.reloads = rules.on_write == "replace, reload"
    made.tell_nodes = kernel.TellNodes[rules.tell_nodes]
    made.batch = int(rules.batch or 0)
    for span in ("serve_stale", "tell_delay", "hit_cost_per_kib"):
        setattr(made, span, int(getattr(rules, span)))
    return made


def _rules(made: Any, rules: Rules) -> Any:
    """The plain ones."""
    for name in ("absolute", "sliding"):
        if getattr(rules, name) is not None:
            setattr(made, name, int(getattr(rules, name)))
    null_lifetime = rules.nulls.lifetime or rules.absolute
    if null_lifetime is not None:
        made.null_lifetime = int(null_lifetime)
    if rules.absolute is not None:
        made.jitter = int(rules.absolute * rules.jitter)
        made.null_jitter = 0 if rules.nulls.lifetime else made.jitter
    made.drop_first = rules.drop_first
    made.survives_restart = rules.survives_restart
    made.entry_overhead = rules.entry_overhead
    made.hit_cost = int(rules.hit_cost)
    made.nulls = kernel.Nulls[rules.nulls.mode]
    made.on_write = kernel.OnWrite[rules.on_write.split(",")[0]]
    made.overlap = kernel.Overlap[rules.overlap]
    return made


def _pool_rules(rules: PoolRules) -> Any:
    if rules.eviction.own is not None:
        raise RulesError(f'eviction: {rules.eviction.name} is in Python; replay it with engine="reference"')
    made = kernel.PoolRules()
    for limit in ("max_entries", "max_bytes"):
        if getattr(rules, limit) is not None:
            setattr(made, limit, getattr(rules, limit))
    made.refuses = rules.when_full.mode == "refuse"
    if rules.when_full.mode == "trim":
        made.trims = True
        made.trim_entries = made.max_entries if rules.max_entries is None else rules.when_full.stay(rules.max_entries)
        made.trim_bytes = made.max_bytes if rules.max_bytes is None else rules.when_full.stay(rules.max_bytes)
    made.eviction = kernel.Eviction[_KERNEL_NAMES.get(rules.eviction.name, rules.eviction.name.replace("-", "_"))]
    numbers = rules.room.numbers
    made.eviction_numbers = [*numbers, *[0] * (3 - len(numbers))]
    return made
