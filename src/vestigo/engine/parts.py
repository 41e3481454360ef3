"""The parts of a replay: pools that share nothing. Each can be replayed on its own (docs/semantics.md, "Parts")."""

import hashlib
import os
from collections.abc import Hashable, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.engine.groups import Group, Groups
from vestigo.engine.job import Job
from vestigo.engine.known_parts import Name
from vestigo.engine.origins import AS_RECORDED, Origins
from vestigo.prepared.entries import has_unnamed_node
from vestigo.prepared.memory import is_long
from vestigo.prepared.part import Part
from vestigo.threads import are_at_work
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
    origins: Origins = Origins()
    """What answers the loads of its look-ups."""

    def depends_on(self, job: Job) -> Hashable:
        """All that decides what the part gives on the job's trace. It is worked out once for the job."""
        return job.once(("depends on", self.part, self.pools), lambda: Name(*self._depends_on(job)))

    def _depends_on(self, job: Job) -> tuple[Hashable, ...]:
        groups = tuple((group.lookup, group.pool, group.rules, group.pinned, group.passes) for group in self.groups)
        pools = tuple(job.groups.pools[pool] for pool in self.pools)
        assumed = tuple(tuple(each[lookup] for lookup in self.part.lookups) for each in job.assumed)
        counting = job.first_counted, job.slicing, job.instant, job.spares
        return self.part, groups, pools, self._groups_of_keys(job), assumed, counting, self.origins

    def _groups_of_keys(self, job: Job) -> bytes:
        if len(self.groups) == len(self.part.lookups):
            return b""
        numbers = self.group_numbers[job.groups.key_groups]
        return hashlib.blake2b(numbers[np.isin(job.trace.key_lookup, self.part.lookups)].tobytes()).digest()

    def per(self, groups: Groups) -> tuple[str, ...]:
        """For each of its pools, who has a cache."""
        per = groups.per
        return tuple(per[pool] for pool in self.pools)


def whole(job: Job) -> Share:
    """The replay as one part."""
    return _Cutting(job).share(range(len(job.groups.pools)), None, len(job.trace))


def finest(job: Job) -> Cut:
    """A replay on its own is cut as finely as there are cores for. One of several at work has none to spare."""
    return Cut(by_node=not are_at_work() and len(job.groups.pools) < (os.cpu_count() or 1))


def shares(job: Job, cut: Cut = BY_POOL) -> list[Share]:
    """The parts of a job, the one with the most rows first. They are worked out once for the job.

    A trace that is too long to be kept is one part, because several would have to keep their course, row by row.
    """
    return job.once(cut, lambda: _shares(job, cut))


def _shares(job: Job, cut: Cut) -> list[Share]:
    trace = job.trace
    if len(trace) < max(cut.fewest_rows, 1) or not len(trace.keys) or is_long(len(trace)):
        return [whole(job)]
    cutting = _Cutting(job)
    rows = cutting.rows
    nodes = len(trace.nodes) + has_unnamed_node(trace)
    by_node = cut.by_node and nodes > 1 and len(rows) * nodes <= MOST_PARTS
    parts = []
    for pools in _packed(cutting.apart(), rows):
        if by_node and cutting.is_apart_on_nodes(pools):
            parts += [cutting.share(pools, *of_node) for of_node in cutting.nodes(pools)]
        else:
            parts.append(cutting.share(pools, None, int(rows[pools].sum())))
    return sorted(parts, key=lambda share: -share.rows)


def _packed(apart: list[list[int]], rows: Longs) -> list[list[int]]:
    """The pools of each part: those that cannot be apart, unless there are too many."""
    if len(apart) <= MOST_PARTS:
        return apart
    packed: list[list[int]] = [[] for _ in range(MOST_PARTS)]
    for place, pools in enumerate(sorted(apart, key=lambda pools: -int(rows[pools].sum()))):
        packed[place % MOST_PARTS] += pools
    return [sorted(pools) for pools in packed]


class _Cutting:
    """Cuts the groups of a job."""

    def __init__(self, job: Job) -> None:
        self._trace, self._groups, self._origins = job.trace, job.groups, job.origins
        groups = job.groups
        self._of_pools: list[list[int]] = [[] for _ in groups.pools]
        """The groups of each pool."""
        for number, group in enumerate(groups.each):
            self._of_pools[group.pool].append(number)

    @property
    def rows(self) -> Longs:
        """About how many rows of each pool there are: those with a key."""
        by_lookup = self._trace.once("rows by look-up", lambda: _rows_by_lookup(self._trace))
        pool_of = [group.pool for group in self._groups.each[: self._groups.lookups]]
        rows: Longs = np.bincount(pool_of, by_lookup, len(self._groups.pools)).astype(np.int64)
        return rows

    def apart(self) -> list[list[int]]:
        """The pools, together where their calls wait for the same places."""
        first = list(range(len(self._groups.pools)))
        """The first of those with which a pool is together."""
        of_queue: dict[int, int] = {}
        for lookup, group in enumerate(self._groups.each[: self._groups.lookups]):
            if (queue := self._origins.queue(lookup)) >= 0:
                here, other = first[group.pool], first[of_queue.setdefault(queue, group.pool)]
                first = [min(here, other) if one in (here, other) else one for one in first]
        together: dict[int, list[int]] = {}
        for pool, one in enumerate(first):
            together.setdefault(one, []).append(pool)
        return list(together.values())

    def is_apart_on_nodes(self, pools: Sequence[int]) -> bool:
        """Whether nothing that happens on one node makes a difference on another. A write that puts a value in one
        cache does: the key is known elsewhere from then on. So does a load that fails, and one that waits.
        """
        if any(self._origins.of(lookup) != AS_RECORDED for lookup in self._lookups(pools)):
            return False
        rules = [self._groups.each[number].rules for pool in pools for number in self._of_pools[pool]]
        return all(
            one.per == "node"
            and one.tell_nodes == "nothing"
            and not one.batch
            and not one.on_write.startswith("replace")
            for one in rules
        )

    def nodes(self, pools: Sequence[int]) -> list[tuple[int, int]]:
        """Each node, with the number of its rows."""
        lookups = tuple(self._lookups(pools))
        counts = self._trace.once(("rows by node", lookups), lambda: _rows_by_node(self._trace, lookups))
        return list(enumerate(counts.tolist()))[0 if has_unnamed_node(self._trace) else 1 :]

    def share(self, pools: Sequence[int], node: int | None, rows: int) -> Share:
        there = sorted(number for pool in pools for number in self._of_pools[pool])
        lookups = self._lookups(pools)
        pool_numbers = {pool: number for number, pool in enumerate(pools)}
        numbers = np.full(max(len(self._groups.each), 1), -1, np.int32)
        numbers[there] = np.arange(len(there), dtype=np.int32)
        whole_groups = [self._groups.each[number] for number in there]
        own = tuple(
            group._replace(lookup=lookups[group.lookup], pool=pool_numbers[group.pool]) for group in whole_groups
        )
        copying = {group.lookup for group in own if group.rules.tell_nodes == "copy"}
        part = Part(
            tuple(lookups),
            tuple(bool(self._trace.nodes) and group.rules.per == "node" for group in own[: len(lookups)]),
            tuple(lookup in copying for lookup in range(len(lookups))),
            node,
            has_scopes=any(group.rules.per == "scope" or group.rules.batch for group in own),
        )
        return Share(part, own, numbers, tuple(pools), rows, self._origins.some(tuple(lookups)))

    def _lookups(self, pools: Sequence[int]) -> dict[int, int]:
        """The look-ups of some pools, in order, with their numbers there."""
        found = sorted({self._groups.each[number].lookup for pool in pools for number in self._of_pools[pool]})
        return {lookup: number for number, lookup in enumerate(found)}


def _rows_by_lookup(trace: Trace) -> Longs:
    counts = np.zeros(len(trace.lookups), np.int64)
    for block in trace.blocks():
        counts += np.bincount(block.lookup[block.key >= 0], minlength=len(counts))
    return counts


def _rows_by_node(trace: Trace, lookups: Sequence[int]) -> Longs:
    counts = np.zeros(len(trace.nodes) + 1, np.int64)
    for block in trace.blocks():
        own = np.isin(block.lookup, lookups) & (block.key >= 0)
        counts += np.bincount(block.node[own] + 1, minlength=len(counts))
    return counts


def has_preloads(trace: Trace, part: Part) -> bool:
    """Whether any row of the part preloads."""
    if Op.PRELOAD not in trace.ops:
        return False
    preloaded = trace.once("preloaded look-ups", lambda: _preloaded(trace))
    return any(lookup in preloaded for lookup in part.lookups)


def _preloaded(trace: Trace) -> frozenset[int]:
    return frozenset(
        lookup for block in trace.blocks() for lookup in np.unique(block.lookup[block.op == Op.PRELOAD]).tolist()
    )
