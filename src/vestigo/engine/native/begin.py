"""Translates a job for the kernel, and chooses the plain replay if it knows all of the rules, or else the full one."""

from collections.abc import Callable, Mapping
from typing import NamedTuple, TypeVar

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.groups import Group
from vestigo.engine.job import Job
from vestigo.engine.origins import Origins, Served
from vestigo.engine.parts import Share, has_preloads
from vestigo.errors import RulesError
from vestigo.prepared.entries import Entries, has_unnamed_node
from vestigo.prepared.memory import settled
from vestigo.prepared.scopes import scopes_of
from vestigo.rules import PoolRules, Rules
from vestigo.rules.rule import Number, rules_of
from vestigo.trace import Trace
from vestigo.trace.trace import Ints

_MOST_GROUPS = 65_535
_ROWS_OF_BLOCK = 512
"""About how many rows lie in a block. Of the whole's peaks it is known without looking in which blocks they are."""
_FEWEST_BLOCKS, _MOST_BLOCKS = 8, 1000
"""In a slice."""
_T = TypeVar("_T")
_Asked = TypeVar("_Asked", kernel.PlainAsked, kernel.FullAsked)
_RULES, _POOL_RULES = rules_of(Rules), rules_of(PoolRules)


class Wanted(NamedTuple):
    """A part of a job, and the entries that it can have."""

    job: Job
    share: Share
    entries: Entries
    until: int | None = None
    """The slices before this one are told as one, and the others as one. None: each is told."""

    @property
    def trace(self) -> Trace:
        return self.job.trace

    @property
    def pools(self) -> list[PoolRules]:
        return [self.job.groups.pools[pool] for pool in self.share.pools]


def is_plain(trace: Trace, share: Share) -> bool:
    """Whether the plain replay knows every rule of the part with the value that it has."""
    groups, places = share.groups, len(trace.nodes) + has_unnamed_node(trace)
    if len(groups) > len(share.part.lookups) or len(groups) * places > _MOST_GROUPS or has_preloads(trace, share.part):
        return False
    if any(origin.down for origin in share.origins.each):
        return False
    return not any(group.pinned or not group.passes for group in groups) and all(
        knows_plainly(group.rules) for group in groups
    )


def knows_plainly(rules: Rules) -> bool:
    """Whether the plain replay knows all of these rules. It does not know a rule that says nothing about that, and it
    finds the moment of a reload from the end of a lifetime only where all lifetimes are the same.
    """
    varying_reloads = rules.reload_after is not None and rules.jitter > 0
    return not varying_reloads and all(
        (name in _RULES and _RULES[name].is_plain(getattr(rules, name), field.default)) or not rules.differs(name)
        for name, field in Rules.model_fields.items()
    )


def begin(
    wanted: Wanted, full: bool, keeps_course: bool = False, watching: kernel.Watching | None = None
) -> kernel.Replay:
    """Begins the `full` replay or the plain one."""
    asked = _full(wanted) if full else _plain(wanted)
    return kernel.Replay(asked, _counting(wanted, keeps_course), watching)


def entry_nodes(wanted: Wanted) -> Ints | None:
    """The node of each entry, counted from 1. It is 0 for rows that name none, and for look-ups whose nodes share a
    cache. None means that all are 0.
    """
    entries, share = wanted.entries, wanted.share
    of_nodes = "node" in share.per(wanted.job.groups)
    if entries.nodes is not None or not of_nodes or has_unnamed_node(wanted.trace):
        return entries.nodes
    one_node = np.array([group.rules.per == "node" for group in share.groups], np.int32)
    return settled(one_node[_entry_groups(wanted)])


def _once(wanted: Wanted, what: str, make: Callable[[Wanted], _T]) -> _T:
    """What is made of the groups of a part's entries. It is the same for all plans in which these are look-ups."""
    groups = wanted.job.groups
    if len(groups.each) > groups.lookups:
        return make(wanted)
    return wanted.trace.once((what, wanted.share.part), lambda: make(wanted))


def _entry_groups(wanted: Wanted) -> Ints:
    """The group of each entry. There is always one, even where the part has no keys."""
    return _once(wanted, "groups of entries", _grouped)


def _grouped(wanted: Wanted) -> Ints:
    groups, entries, numbers = wanted.job.groups, wanted.entries, wanted.share.group_numbers
    own = numbers[groups.key_groups if entries.keys is None else groups.key_groups[entries.keys]]
    return settled(np.maximum(own, 0) if len(own) else np.zeros(1, np.int32))


class _Places(NamedTuple):
    """Groups on nodes that have entries."""

    there: list[tuple[int, int]]
    of_entries: Ints


def _placed(wanted: Wanted) -> _Places:
    trace, nodes = wanted.trace, entry_nodes(wanted)
    entry_places = _entry_groups(wanted) * np.int32(len(trace.nodes) + 1) + (0 if nodes is None else nodes)
    are_there = np.zeros(max(len(wanted.share.groups), 1) * (len(trace.nodes) + 1), bool)
    are_there[entry_places] = True
    numbers = np.cumsum(are_there, dtype=np.int32) - np.int32(1)
    places = [divmod(place, len(trace.nodes) + 1) for place in np.flatnonzero(are_there).tolist()]
    return _Places(places, settled(numbers[entry_places]))


def _plain(wanted: Wanted) -> kernel.PlainAsked:
    entries, groups = wanted.entries, wanted.share.groups
    request = _asked(kernel.PlainAsked(), wanted)
    places, request.entry_groups = _once(wanted, "places of entries", _placed)
    request.entry_is_first = entries.is_first
    pools = [(groups[lookup].pool if groups else 0, node) for lookup, node in places]
    shared = {pool: number for number, pool in enumerate(dict.fromkeys(pools))}
    request.place_lookups = [lookup for lookup, _ in places]
    request.place_nodes = [node - 1 for _, node in places]
    request.place_pools = [shared[pool] for pool in pools]
    request.place_is_of_node = [bool(entries.apart) and entries.apart[lookup] for lookup, _ in places]
    request.pools = request.pools or [kernel.PoolRules()]
    request.place_pool_rules = [pool for pool, _ in shared]
    if not groups:
        request.groups, request.clears = [kernel.GroupRules()], [np.empty(0, np.int64)]
    return request


def _full(wanted: Wanted) -> kernel.FullAsked:
    trace, share, groups = wanted.trace, wanted.share, wanted.share.groups
    request = _asked(kernel.FullAsked(), wanted)
    request.entry_groups = _entry_groups(wanted)
    request.entry_nodes = entry_nodes(wanted)
    if share.part.node is not None:
        request.entry_is_first = wanted.entries.is_first
    request.per = [kernel.Per[per] for per in share.per(wanted.job.groups)]
    request.expires = [group.expires_at for group in groups]
    request.lookups, request.nodes = len(share.part.lookups), len(trace.nodes)
    request.unnamed_node = has_unnamed_node(trace)
    if share.part.has_scopes:
        scopes = scopes_of(trace)
        request.last_rows = scopes.last_rows
        request.scopes_at_once, request.scope_slots = scopes.at_once, scopes.keys_at_once
    else:
        request.last_rows = np.full(int(trace.scope.max()) + 2, -1, np.int64)
    return request


def _asked(request: _Asked, wanted: Wanted) -> _Asked:
    """The arguments that both replays take."""
    groups = wanted.share.groups
    request.entry_keys, request.keys = wanted.entries.keys, max(len(wanted.trace.keys), 1)
    request.groups = [_group_rules(group, wanted.share.origins) for group in groups]
    request.clears = [group.clears_at for group in groups]
    request.origins = [_origin(one) for one in wanted.share.origins.each]
    request.pools = [_pool_rules(pool) for pool in wanted.pools]
    return request


def _counting(wanted: Wanted, keeps_course: bool) -> kernel.Counting:
    job, trace = wanted.job, wanted.trace
    counting, slicing = kernel.Counting(), job.slicing
    counting.loading = _loading(wanted)
    counting.first_counted, counting.news_take = job.first_counted, job.spares or 0
    counting.counts_from = int(trace.at[job.first_counted])
    if keeps_course:
        counting.blocks_in_slice = min(max(len(trace) // (slicing.most * _ROWS_OF_BLOCK), _FEWEST_BLOCKS), _MOST_BLOCKS)
    counting.slice_origin, counting.slice_width, counting.slices = slicing.origin_ns, slicing.width_ns, slicing.most
    if wanted.until is not None:
        counting.split = min(wanted.until, slicing.most - 1)  # the last slice is one of the others
    return counting


def _loading(wanted: Wanted) -> kernel.Loading:
    job = wanted.job
    if wanted.share.origins.each:
        return kernel.Loading.served
    if not job.instant and max(wanted.trace.cost_range.most, *job.assumed.cost, 0) > 0:
        return kernel.Loading.timed
    return kernel.Loading.instant if job.spares is None else kernel.Loading.spared


def _origin(served: Served) -> kernel.Origin:
    made = kernel.Origin()
    made.places, made.fails_after = served.places, served.fails_after
    made.give_up, made.slow = served.give_up, served.slow
    made.down_begins, made.down_ends = [begins for begins, _ in served.down], [ends for _, ends in served.down]
    made.pace_begins = [pace.begins for pace in served.paces]
    made.pace_of, made.pace_to = [pace.of for pace in served.paces], [pace.to for pace in served.paces]
    return made


def _group_rules(group: Group, origins: Origins) -> kernel.GroupRules:
    made, rules = kernel.GroupRules(), group.rules
    if rules.keep_if is not None and rules.keep_if.own is not None:
        raise RulesError(f'keep_if: {rules.keep_if} is in Python; replay it with engine="reference"')
    _state(made, {"lookup": group.lookup, "pool": group.pool, "pinned": group.pinned, "passes": group.passes})
    made.origin = origins.of_lookups[group.lookup] if origins.each else -1
    for name, rule in _RULES.items():
        if rule.numbers is not None and name not in _POOL_RULES:
            _state(made, rule.numbers(rules))
    return made


def _pool_rules(rules: PoolRules) -> kernel.PoolRules:
    if rules.eviction.own is not None:
        raise RulesError(f'eviction: {rules.eviction.name} is in Python; replay it with engine="reference"')
    made = kernel.PoolRules()
    for rule in _POOL_RULES.values():
        if rule.numbers is not None:
            _state(made, rule.numbers(rules))
    return made


def _state(made: object, numbers: Mapping[str, Number]) -> None:
    """Sets values in the kernel's rules. A value of None leaves the kernel's default."""
    for name, value in numbers.items():
        usual = getattr(made, name)
        if value is None:
            continue
        if isinstance(value, str):
            setattr(made, name, kernel.POLICIES.index(value) if name == "eviction" else type(usual)[value])
        else:
            setattr(made, name, value if isinstance(value, (bool, list)) else int(value))
