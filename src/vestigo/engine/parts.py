"""The parts of a replay: pools that share nothing. Each can be replayed on its own (docs/semantics.md, "Parts")."""

import hashlib
import os
from collections.abc import Hashable, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.engine.groups import Group, Groups
from vestigo.engine.job import Job
from vestigo.prepared.entries import has_unnamed_node
from vestigo.prepared.part import Part
from vestigo.rules import Rules
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs

MOST_PARTS = 64
"""Plans with more pools have several in each part, because each part counts every slice of time."""
FEWEST_ROWS = 20_000
"""A trace with fewer is one part: cutting it would take longer than it saves."""


class Cut(NamedTuple):
    """How finely a replay is cut."""

    by_node: bool = False
    """Whether nodes that tell each other nothing are parts of their own."""
    fewest_rows: int = FEWEST_ROWS


BY_POOL = Cut()
"""How replays are cut unless somebody asks for more."""


class Share(NamedTuple):
    """What one part of a replay is asked for. The numbers of its look-ups, groups and pools are its own."""

    part: Part
    groups: tuple[Group, ...]
    group_numbers: np.ndarray
    """The number here of each group of the whole, -1 if it is not here."""
    pools: tuple[int, ...]
    """The whole's number of each pool."""
    rows: int
    """About how many rows of the trace are its own."""

    def depends_on(self, trace: Trace, job: Job) -> Hashable:
        """All that decides what the part gives on this trace."""
        groups = tuple((group.lookup, group.pool, group.rules, group.pinned, group.passes) for group in self.groups)
        pools = tuple(job.groups.pools[pool] for pool in self.pools)
        assumed = tuple(tuple(each[lookup] for lookup in self.part.lookups) for each in job.assumed)
        counting = job.first_counted, job.slicing, job.instant, job.spares
        return self.part, groups, pools, self._groups_of_keys(trace, job), assumed, counting

    def _groups_of_keys(self, trace: Trace, job: Job) -> bytes:
        if len(self.groups) == len(self.part.lookups):
            return b""
        numbers = self.group_numbers[job.groups.key_groups]
        return hashlib.blake2b(numbers[np.isin(trace.key_lookup, self.part.lookups)].tobytes()).digest()

    def per(self, groups: Groups) -> tuple[str, ...]:
        """For each of its pools, who has a cache."""
        return tuple(groups.per[pool] for pool in self.pools)


def whole(trace: Trace, groups: Groups) -> Share:
    """The replay as one part."""
    return _share(trace, groups, range(len(groups.pools)), None, len(trace))


def finest(trace: Trace, job: Job) -> Cut:
    """A replay on its own is cut as finely as this machine has cores for."""
    pools, nodes = len(job.groups.pools), len(trace.nodes) + 1
    return Cut(by_node=pools < (os.cpu_count() or 1) and pools * nodes <= MOST_PARTS)


def shares(trace: Trace, job: Job, cut: Cut = BY_POOL) -> list[Share]:
    """The parts of a job, the one with the most rows first."""
    groups = job.groups
    if len(trace) < max(cut.fewest_rows, 1) or not len(trace.keys):
        return [whole(trace, groups)]
    rows = _rows(trace, groups)
    parts = [
        _share(trace, groups, pools, node, of_node)
        for pools in _packed(rows.sum(axis=1))
        for node, of_node in _nodes(trace, groups, pools, rows, cut.by_node)
    ]
    return sorted(parts, key=lambda share: -share.rows)


def _packed(rows: Longs) -> list[list[int]]:
    """The pools of each part: one, unless there are too many."""
    if len(rows) <= MOST_PARTS:
        return [[pool] for pool in range(len(rows))]
    packed: list[list[int]] = [[] for _ in range(MOST_PARTS)]
    for place, pool in enumerate(np.argsort(-rows, kind="stable").tolist()):
        packed[place % MOST_PARTS].append(pool)
    return [sorted(pools) for pools in packed]


def _rows(trace: Trace, groups: Groups) -> Longs:
    """How many rows with a key each pool has on each node, where 0 stands for rows that name none."""
    pool_of = np.array([group.pool for group in groups.each[: groups.lookups]], np.int64)
    by_lookup = trace.once("rows by look-up and node", lambda: _rows_by_lookup(trace))
    rows = np.zeros((len(groups.pools), by_lookup.shape[1]), np.int64)
    np.add.at(rows, pool_of, by_lookup)
    return rows


def _rows_by_lookup(trace: Trace) -> Longs:
    nodes = len(trace.nodes) + 1
    counts = np.zeros(len(trace.lookups) * nodes, np.int64)
    for block in trace.parts():
        keyed = block.key >= 0
        counts += np.bincount(block.lookup[keyed] * np.int64(nodes) + block.node[keyed] + 1, minlength=len(counts))
    return counts.reshape(len(trace.lookups), nodes)


def _nodes(
    trace: Trace, groups: Groups, pools: Sequence[int], by_pool: Longs, by_node: bool
) -> list[tuple[int | None, int]]:
    """The nodes on which some pools are parts of their own, each with its rows; or all of them as one."""
    of_node = by_pool[list(pools)].sum(axis=0).tolist()
    if not by_node or not _is_apart_on_nodes(groups, pools):
        return [(None, sum(of_node))]
    return [(node, rows) for node, rows in enumerate(of_node) if node > 0 or has_unnamed_node(trace)]


def _is_apart_on_nodes(groups: Groups, pools: Sequence[int]) -> bool:
    """Whether nothing that happens on one node makes a difference on another. A write that puts a value in one cache
    does: the key is known elsewhere from then on.
    """
    return all(_is_apart_on_nodes_with(group.rules) for group in groups.each if group.pool in pools)


def _is_apart_on_nodes_with(rules: Rules) -> bool:
    replaces = rules.on_write.startswith("replace")
    return rules.per == "node" and rules.tell_nodes == "nothing" and not rules.batch and not replaces


def _share(trace: Trace, groups: Groups, pools: Sequence[int], node: int | None, rows: int) -> Share:
    lookups = [lookup for lookup in range(groups.lookups) if groups.each[lookup].pool in pools]
    lookup_numbers, pool_numbers = ({old: new for new, old in enumerate(those)} for those in (lookups, pools))
    there = [number for number, group in enumerate(groups.each) if group.pool in pool_numbers]
    numbers = np.full(max(len(groups.each), 1), -1, np.int32)
    numbers[there] = np.arange(len(there), dtype=np.int32)
    own = tuple(
        groups.each[number]._replace(
            lookup=lookup_numbers[groups.each[number].lookup], pool=pool_numbers[groups.each[number].pool]
        )
        for number in there
    )
    part = Part(
        tuple(lookups),
        tuple(bool(trace.nodes) and group.rules.per == "node" for group in own[: len(lookups)]),
        tuple(any(one.rules.tell_nodes == "copy" for one in own if one.lookup == new) for new in range(len(lookups))),
        node,
        has_scopes=any(group.rules.per == "scope" or group.rules.batch for group in own),
    )
    return Share(part, own, numbers, tuple(pools), rows)


def has_preloads(trace: Trace, part: Part) -> bool:
    """Whether any row of the part preloads."""
    if Op.PRELOAD not in trace.ops:
        return False
    preloaded = trace.once("preloaded look-ups", lambda: _preloaded(trace))
    return any(lookup in preloaded for lookup in part.lookups)


def _preloaded(trace: Trace) -> frozenset[int]:
    return frozenset(
        lookup for block in trace.parts() for lookup in np.unique(block.lookup[block.op == Op.PRELOAD]).tolist()
    )
