"""The most hits that any settings can have with as much room: ceiling (c) of docs/semantics.md, section 4."""

import numpy as np

from vestigo.engine.job import Job, job
from vestigo.engine.origins import AS_RECORDED
from vestigo.prepared.fill import Filler, filler
from vestigo.prepared.scopes import scopes_of
from vestigo.prepared.stays import Stays, stays
from vestigo.prepared.truth import parts_with_truth
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_VALUED, Ints, Longs


def most_hits(trace: Trace, plan: Plan) -> int:
    """A bound on hits that no policy, lifetime or condition passes with the plan's limits, even if it knows the future.

    A hit needs an entry that is held since the last moment at which it can have come in. Of such stays, those that take
    least room are chosen until the room of the whole trace is used up. Whether they overlap is ignored. This is the
    bound of D. S. Berger, N. Beckmann, M. Harchol-Balter, "Practical bounds on optimal caching with variable object
    sizes", Proceedings of the ACM on Measurement and Analysis of Computing Systems 2(2), 2018 (there PFOO-L), for
    entries as well as for bytes. If all entries have the same size, ``eviction = "belady"`` comes close to it.

    >>> from vestigo import read_trace
    >>> from vestigo.rules import Rules
    >>> trace = read_trace({"at": [0, 1, 2, 3, 4, 5], "key": list("abcabc")})
    >>> [most_hits(trace, Plan(Rules(max_entries=entries))) for entries in (1, 2, 3)]
    [1, 3, 3]
    """
    if len(trace.keys) == 0:
        return 0
    work = job(trace, plan)
    trace = work.trace
    is_sized = any(pool.max_bytes is not None for pool in work.groups.pools)
    sizes = _least_sizes(trace, work) if is_sized else np.empty(0)
    hits = 0
    waiting = {group.pool for group in work.groups.each if work.origins.of(group.lookup) != AS_RECORDED}
    each = zip(work.groups.pools, work.groups.per, _stays(trace, work), strict=True)
    for number, (pool, per, own) in enumerate(each):
        rows, room = own.rows.astype(np.float64), _room(trace, work, per)
        most = len(rows)
        if number in waiting:  # when a value comes in there is not known before the replay
            hits += most
            continue
        if pool.max_entries is not None:
            most = min(most, _fitting(rows, pool.max_entries * room))
        if pool.max_bytes is not None:
            most = min(most, _fitting(rows * sizes[own.key], pool.max_bytes * room))
        hits += most
    return hits


def _fitting(stays: np.ndarray, room: float) -> int:
    """How many of the smallest stays fit."""
    return int(np.searchsorted(np.sort(stays).cumsum(), room * (1 + 1e-9), "right"))


def _stays(trace: Trace, work: Job) -> list[Stays]:
    """Those of each pool."""
    small = np.min_scalar_type(len(work.groups.pools))  # such numbers are sorted by counting
    pool_of = np.array([group.pool for group in work.groups.each], small)[work.groups.key_groups]
    found: list[list[Stays]] = [[] for _ in work.groups.pools]
    fill = filler(trace, work.assumed)
    each = stays(trace, work.first_counted, lambda block: _owners(block, work), lambda block: _takes(block, work, fill))
    for of_block in each:
        pools = pool_of[of_block.key]
        order = np.argsort(pools, kind="stable")
        key, rows, ends = of_block.key[order], of_block.rows[order], np.bincount(pools, minlength=len(found)).cumsum()
        for number, own in enumerate(found):
            mine = slice(ends[number - 1] if number else 0, ends[number])
            own.append(Stays(key[mine], rows[mine]))
    return [Stays(*map(np.concatenate, zip(*own, strict=True))) for own in found]


def _owners(block: Trace, work: Job) -> Ints:
    """Whose compartment each event is about. Nodes that copy writes count as one."""
    rules = [group.rules for group in work.groups.each[: len(block.lookups)]]
    copies = any(group.rules.tell_nodes == "copy" for group in work.groups.each)
    per = ["all" if copies and one.per == "node" else one.per for one in rules]
    of_node, of_scope = (np.array([one == name for one in per] + [False]) for name in ("node", "scope"))
    owner = np.where(of_node[block.lookup], block.node + 1, np.where(of_scope[block.lookup], block.scope + 1, 0))
    return owner.astype(np.int32)


def _takes(block: Trace, work: Job, fill: Filler) -> Longs:
    """How long it takes at the latest until the value of each event is in a cache."""
    costs = np.zeros(len(block), np.int64) if work.instant else fill.costs(block)
    delay = max(int(group.rules.tell_delay) for group in work.groups.each)
    return np.where((block.op == Op.READ) | (block.op == Op.PRELOAD), costs, delay)


def _least_sizes(trace: Trace, work: Job) -> Longs:
    """For each key, the bytes of its smallest value with overhead."""
    fill, least = filler(trace, work.assumed), np.full(len(trace.keys), 2**62, np.int64)
    for part, truth in parts_with_truth(trace):
        keyed = part.op <= LAST_VALUED
        np.minimum.at(least, part.key[keyed], fill.sizes(part, truth.null)[keyed])
    overheads = np.array([group.rules.entry_overhead for group in work.groups.each], np.int64)
    return least + overheads[work.groups.key_groups]


def _room(trace: Trace, work: Job, per: str) -> float:
    """For how many rows each unit of a limit can be used, in all compartments together."""
    rows = len(trace) - work.first_counted - 1
    if per == "node":
        return float(rows * (len(trace.nodes) + 1))
    return float(scopes_of(trace).rows_under_way) if per == "scope" else float(rows)
