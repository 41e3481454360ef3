"""Translates a job for the kernel, and chooses the plain replay if it knows all of the rules, or else the full one."""

from collections.abc import Mapping
from typing import TypeVar

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.groups import Group, Groups
from vestigo.engine.job import Job
from vestigo.errors import RulesError
from vestigo.prepared.entries import Entries, has_unnamed_node
from vestigo.prepared.scopes import scopes_of
from vestigo.rules import PoolRules, Rules
from vestigo.rules.rule import Number, rules_of
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import Ints

_MOST_GROUPS = 65_535
_Asked = TypeVar("_Asked", kernel.PlainAsked, kernel.FullAsked)
_RULES, _POOL_RULES = rules_of(Rules), rules_of(PoolRules)


def is_plain(trace: Trace, job: Job) -> bool:
    """Whether the plain replay knows every rule of the job with the value that it has."""
    groups = job.groups.each
    places = len(trace.nodes) + has_unnamed_node(trace)
    if len(groups) > len(trace.lookups) or Op.PRELOAD in trace.ops or len(groups) * places > _MOST_GROUPS:
        return False
    return not any(group.pinned or not group.passes for group in groups) and all(
        knows_plainly(group.rules) for group in groups
    )


def knows_plainly(rules: Rules) -> bool:
    """Whether the plain replay knows all of these rules. It does not know a rule that says nothing about that."""
    return all(
        (name in _RULES and _RULES[name].is_plain(getattr(rules, name), field.default)) or not rules.differs(name)
        for name, field in Rules.model_fields.items()
    )


def begin(
    trace: Trace, job: Job, entries: Entries, full: bool, watching: kernel.Watching | None = None
) -> kernel.Replay:
    """Begins the `full` replay or the plain one."""
    asked = _full(trace, job, entries) if full else _plain(trace, job, entries)
    return kernel.Replay(asked, _counting(trace, job), watching)


def entry_nodes(trace: Trace, groups: Groups, entries: Entries) -> Ints | None:
    """The node of each entry, counted from 1. It is 0 for rows that name none, and for look-ups whose nodes share a
    cache. None means that all are 0.
    """
    if entries.nodes is not None or "node" not in groups.per or has_unnamed_node(trace):
        return entries.nodes
    one_node = np.array([group.rules.per == "node" for group in groups.each], np.int32)
    return _ids(one_node[groups.key_groups])


def _plain(trace: Trace, job: Job, entries: Entries) -> kernel.PlainAsked:
    groups, key_groups, *_ = job.groups
    table = np.zeros((max(len(groups), 1), len(trace.nodes) + 1), np.int32)
    places: list[tuple[int, int, int]] = []  # look-up, node, pool
    shared: dict[tuple[int, int], int] = {}
    has_keys = np.bincount(trace.key_lookup, minlength=len(groups)) > 0
    first_node = 0 if has_unnamed_node(trace) else 1
    for lookup, group in enumerate(groups):
        if not has_keys[lookup]:
            continue
        for node in range(first_node, len(trace.nodes) + 1) if entries.apart[lookup] else (0,):
            table[lookup, node] = len(places)
            places.append((lookup, node - 1, shared.setdefault((group.pool, node), len(shared))))
    places = places or [(0, MISSING, shared.setdefault((0, 0), 0))]
    request = _asked(kernel.PlainAsked(), trace, job.groups, entries)
    if entries.places is not None:
        request.entry_groups = table.ravel()[entries.places]
    elif len(key_groups):
        request.entry_groups = table[:, 0][key_groups]
    else:
        request.entry_groups = _ids(key_groups)
    request.entry_is_first = entries.is_first
    request.place_lookups, request.place_nodes, request.place_pools = (list(each) for each in zip(*places, strict=True))
    request.place_is_of_node = [bool(entries.apart) and entries.apart[lookup] for lookup, _, _ in places]
    request.pools = request.pools or [kernel.PoolRules()]
    request.place_pool_rules = [pool for pool, _ in shared]
    if not groups:
        request.groups, request.clears = [kernel.GroupRules()], [np.empty(0, np.int64)]
    return request


def _full(trace: Trace, job: Job, entries: Entries) -> kernel.FullAsked:
    groups, key_groups, lookups = job.groups.each, job.groups.key_groups, job.groups.lookups
    request = _asked(kernel.FullAsked(), trace, job.groups, entries)
    request.entry_groups = _ids(key_groups if entries.keys is None else key_groups[entries.keys])
    request.entry_nodes = entry_nodes(trace, job.groups, entries)
    request.per = [kernel.Per[per] for per in job.groups.per]
    request.expires = [group.expires_at for group in groups]
    request.lookups, request.nodes, request.unnamed_node = lookups, len(trace.nodes), has_unnamed_node(trace)
    if "scope" in job.groups.per or any(group.rules.batch for group in groups):
        scopes = scopes_of(trace)
        request.last_rows = scopes.last_rows
        request.scopes_at_once, request.scope_slots = scopes.at_once, scopes.keys_at_once
    else:
        request.last_rows = np.full(int(trace.scope.max()) + 2, -1, np.int64)
    return request


def _asked(request: _Asked, trace: Trace, groups: Groups, entries: Entries) -> _Asked:
    """The arguments that both replays take."""
    request.entry_keys, request.keys = entries.keys, max(len(trace.keys), 1)
    request.groups = [_group_rules(group) for group in groups.each]
    request.clears = [group.clears_at for group in groups.each]
    request.pools = [_pool_rules(pool) for pool in groups.pools]
    return request


def _ids(key_groups: Ints) -> Ints:
    return key_groups if len(key_groups) else np.zeros(1, np.int32)


def _counting(trace: Trace, job: Job) -> kernel.Counting:
    counting, slicing = kernel.Counting(), job.slicing
    timed = not job.instant and max(trace.cost_range.most, *job.assumed.cost, 0) > 0
    counting.loading = (
        kernel.Loading.timed if timed else kernel.Loading.instant if job.spares is None else kernel.Loading.spared
    )
    counting.first_counted, counting.news_take = job.first_counted, job.spares or 0
    counting.slice_origin, counting.slice_width, counting.slices = slicing.origin_ns, slicing.width_ns, slicing.most
    return counting


def _group_rules(group: Group) -> kernel.GroupRules:
    made, rules = kernel.GroupRules(), group.rules
    if rules.keep_if is not None and rules.keep_if.own is not None:
        raise RulesError(f'keep_if: {rules.keep_if} is in Python; replay it with engine="reference"')
    _state(made, {"lookup": group.lookup, "pool": group.pool, "pinned": group.pinned, "passes": group.passes})
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
