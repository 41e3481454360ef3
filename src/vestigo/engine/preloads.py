"""Preloads that a plan asks for. They become rows of the trace, so that all that holds of recorded preloads holds of
them (docs/semantics.md, "Preloads").
"""

import hashlib
from collections.abc import Hashable, Iterator
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vestigo.engine.few_traces import FewTraces
from vestigo.engine.groups import Group, Groups
from vestigo.engine.more_rows import with_rows
from vestigo.engine.what_if import EVENT_BYTES
from vestigo.errors import RulesError
from vestigo.machine import memory_bytes
from vestigo.prepared.entries import has_unnamed_node
from vestigo.prepared.fill import largest_given
from vestigo.prepared.truth import truths
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import COLUMNS, LAST_VALUED, Ints, Longs, Parts
from vestigo.units import format_bytes

_MOST_KEPT = 4


@dataclass(frozen=True, eq=False)
class Preloaded:
    """A trace in which keys are preloaded."""

    trace: Trace
    recorded: Longs
    """The rows of what was recorded. Those between them are the preloads."""

    def __len__(self) -> int:
        return len(self.trace)


class _Call(NamedTuple):
    """The keys of one group are loaded into the cache of one node, or into the one cache that there is."""

    row: int
    """The row of the recording before which it stands."""
    at_ns: int
    node: int
    group: int


def preloaded(trace: Trace, groups: Groups) -> Preloaded | None:
    """The trace with the preloads that the rules of some keys ask for. None if none do. For jobs that ask for the same
    it is the same.

    Raises RulesError if there are more of them than fit in half of this machine's memory.
    """
    asking = [number for number, group in enumerate(groups.each) if group.rules.preload]
    if not asking or not len(trace):
        return None
    made: FewTraces[Preloaded] = trace.once("preloads", lambda: FewTraces(_MOST_KEPT))
    return made.get(_name(groups, asking), lambda: _preloaded(trace, groups, asking))


def _name(groups: Groups, asking: list[int]) -> Hashable:
    """All that decides what is preloaded."""
    rules = [groups.each[number].rules for number in asking]
    each = tuple((one.preload, one.zone, one.preload_cost, one.per) for one in rules)
    of_keys = groups.key_groups.tobytes() if len(groups.each) > groups.lookups else b""
    return tuple(asking), each, hashlib.blake2b(of_keys).digest()


def _preloaded(trace: Trace, groups: Groups, asking: list[int]) -> Preloaded:
    valued = np.flatnonzero(trace.op <= LAST_VALUED)
    valued = valued[np.isin(groups.key_groups, asking)[trace.key[valued]]]
    has_value = np.zeros(len(trace.keys), bool)
    has_value[trace.key[valued]] = True
    keys = {number: np.flatnonzero(has_value & (groups.key_groups == number)).astype(np.int32) for number in asking}
    calls = sorted(
        call for number in asking if len(keys[number]) for call in _calls(trace, groups.each[number], number)
    )
    if not calls:
        return Preloaded(trace, np.arange(len(trace)))
    _check_room(trace, sum(len(keys[call.group]) for call in calls))
    origin, rows = _Origin(trace, valued), list[Parts]()
    for call in calls:
        rows.append(_rows(trace, call, keys[call.group], groups.each[call.group], origin))
    columns = {name: np.concatenate([of_call[name] for of_call in rows]) for name in rows[0]}
    # The calls of several groups of a look-up are one call, and its keys are loaded in their order.
    order = np.lexsort([columns[name] for name in ("key", "node", "at", "before")])
    columns = {name: column[order] for name, column in columns.items()}
    before = columns.pop("before")
    both, is_recorded = with_rows(trace, columns, before)
    return Preloaded(both, np.flatnonzero(is_recorded))


def _check_room(trace: Trace, loads: int) -> None:
    """Raises RulesError, before any of them is made."""
    takes, most = (len(trace) + loads) * EVENT_BYTES, memory_bytes() // 2
    if takes > most:
        raise RulesError(
            f"preload: {loads:,} loads of single keys, beside {len(trace):,} events, take {format_bytes(takes)} of "
            f"memory when replayed; the most here is {format_bytes(most)}, so preload at fewer moments, or sample the "
            "trace (vestigo convert --sample)"
        )


def _calls(trace: Trace, group: Group, number: int) -> Iterator[_Call]:
    asked, per_node = group.rules.preload, group.rules.per == "node"
    assert asked is not None
    has_unnamed = has_unnamed_node(trace)
    nodes = [*range(len(trace.nodes)), *([MISSING] if has_unnamed else [])]
    if not per_node:
        nodes = [MISSING if has_unnamed else 0]  # whose it is makes no difference
    if asked.at_start:
        yield from (_Call(0, int(trace.at[0]), node, number) for node in nodes)
        for row in np.flatnonzero(trace.op == Op.RESTART).tolist():
            of_all = not per_node or trace.node[row] == MISSING
            yield from (
                _Call(row + 1, int(trace.at[row]), node, number) for node in nodes if of_all or node == trace.node[row]
            )
    for at_ns in _moments(trace, group):
        row = int(trace.at.searchsorted(at_ns))
        yield from (_Call(row, at_ns, node, number) for node in nodes)


def _moments(trace: Trace, group: Group) -> list[int]:
    asked = group.rules.preload
    if asked is None or asked.moments is None:
        return []
    return asked.moments.between(int(trace.at[0]), int(trace.at[-1]), group.rules.zone)


def _rows(trace: Trace, call: _Call, keys: Ints, group: Group, origin: "_Origin") -> Parts:
    """What a call loads, a row for each key."""
    size, found = origin.has(keys, call.row)
    cost = group.rules.preload_cost
    row: Parts = {name: column.missing for name, column in COLUMNS.items() if name != "at"}
    row |= {"before": call.row, "at": call.at_ns, "op": int(Op.PRELOAD), "lookup": group.lookup, "node": call.node}
    row["cost"] = largest_given(trace, "cost")[group.lookup] if cost is None else int(cost)
    return {name: np.full(len(keys), value) for name, value in row.items()} | {
        "key": keys,
        "size": size,
        "found": found,
    }


class _Origin:
    """What the origin has for each key at some row, as far as the recording shows it. It is asked in order of rows.

    Before a key's first event, that is what the event shows. Where that changes the value, the one before had its size.
    `valued` are the rows that show a value of the keys, or that there is none.
    """

    def __init__(self, trace: Trace, valued: Longs) -> None:
        self._op, self._size, self._null = trace.op, trace.size, trace.once("nulls", lambda: truths(trace).null)
        sized = valued[(trace.size[valued] != MISSING) & ~self._null[valued]]
        self._told, self._sized = _Latest(trace, valued), _Latest(trace, sized)

    def has(self, keys: Ints, row: int) -> tuple[Longs, np.ndarray]:
        """The sizes of their values before that row, and whether there is a value."""
        told, sized = self._told.before(row)[keys], self._sized.before(row)[keys]
        changes = (self._op[told] == Op.WRITE) | (self._op[told] == Op.REMOVE)
        null = self._null[told] & ~(changes & (told >= row))
        return self._size[np.where(null | (sized == MISSING), told, sized)], ~null


class _Latest:
    """For each key, the latest of some rows."""

    def __init__(self, trace: Trace, rows: Longs) -> None:
        self._keys, self._rows, self._seen = trace.key[rows], rows, 0
        self._latest = np.full(len(trace.keys), MISSING, np.int64)
        self._latest[self._keys[::-1]] = rows[::-1]  # of several rows of a key, the last one named stays

    def before(self, row: int) -> Longs:
        """Before that row, or the key's first if all come later. MISSING if it has none. No earlier row is asked for
        afterwards.
        """
        upto = int(self._rows.searchsorted(row))
        self._latest[self._keys[self._seen : upto]] = self._rows[self._seen : upto]
        self._seen = upto
        return self._latest
