"""The most hits that any settings can have with as much room: ceiling (c) of docs/semantics.md, section 4."""

from typing import NamedTuple

import numpy as np

from vestigo.engine.job import Job, job
from vestigo.prepared.fill import filler
from vestigo.prepared.neighbours import goes_on, most_so_far
from vestigo.prepared.scopes import scopes_of
from vestigo.prepared.truth import parts_with_truth
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_VALUED, Longs


class _Stays(NamedTuple):
    """The least that settings must hold so that a read is a hit. There is one row for each read that follows another
    event of its key in the same compartment.
    """

    key: np.ndarray
    rows: Longs
    """For how many rows the entry is held, since it can have come in."""


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
    stays, sizes = _stays(trace, work), _least_sizes(trace, work)
    pool_of = np.array([group.pool for group in work.groups.each], np.int64)[work.groups.key_groups]
    hits = 0
    for number, (pool, per) in enumerate(zip(work.groups.pools, work.groups.per, strict=True)):
        mine = pool_of[stays.key] == number
        rows, room = stays.rows[mine].astype(np.float64), _room(trace, work, per)
        most = len(rows)
        if pool.max_entries is not None:
            most = min(most, _fitting(rows, pool.max_entries * room))
        if pool.max_bytes is not None:
            most = min(most, _fitting(rows * sizes[stays.key[mine]], pool.max_bytes * room))
        hits += most
    return hits


def _fitting(stays: np.ndarray, room: float) -> int:
    """How many of the smallest stays fit."""
    return int(np.searchsorted(np.sort(stays).cumsum(), room * (1 + 1e-9), "right"))


def _stays(trace: Trace, work: Job) -> _Stays:
    row = np.flatnonzero(trace.op <= LAST_VALUED)
    owner, came = _owners(trace, work)[row], _came_in(trace, work)[row]
    entry = trace.key[row].astype(np.int64) * (int(owner.max()) + 1) + owner
    order = np.argsort(entry, kind="stable")
    entry, row, came = entry[order], row[order], came[order]
    again = goes_on(entry)
    latest = most_so_far(~again, came, len(trace) + 1)  # the last row at which an earlier event let the entry come in
    place = np.flatnonzero(again & (trace.op[row] == Op.READ) & (row >= work.first_counted))
    since = np.maximum(np.maximum(latest[place - 1], row[place - 1]), work.first_counted)
    return _Stays(trace.key[row[place]], np.maximum(row[place] - since, 0))


def _owners(trace: Trace, work: Job) -> np.ndarray:
    """The entry that each event is about. Nodes that copy writes count as one."""
    rules = [group.rules for group in work.groups.each[: len(trace.lookups)]]
    copies = any(group.rules.tell_nodes == "copy" for group in work.groups.each)
    per = np.array(["all" if copies and one.per == "node" else one.per for one in rules])[trace.lookup]
    return np.where(per == "node", trace.node + 1, np.where(per == "scope", trace.scope + 1, 0))


def _came_in(trace: Trace, work: Job) -> Longs:
    """For each event, the row before which its entry has come in at the latest."""
    costs = np.zeros(len(trace), np.int64) if work.instant else filler(trace, work.assumed).costs(trace)
    delay = max(int(group.rules.tell_delay) for group in work.groups.each)
    at = trace.at + np.where((trace.op == Op.READ) | (trace.op == Op.PRELOAD), costs, delay)
    return np.searchsorted(trace.at, at, "left")


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
