"""``Facts``: what the data of a look-up does, as far as it says which settings are worth trying."""

from typing import NamedTuple

import numpy as np

from vestigo.choosing.finding.clock import Clock, clock_of
from vestigo.describing.measure import Measured, Reads, measure, percentiles
from vestigo.prepared.entries import has_unnamed_node
from vestigo.trace import Op, Trace
from vestigo.trace.trace import Longs

_SHORTEST, _LONGEST = 5, 95
"""Percentiles of the times between reads, and between changes, that lifetimes are tried between."""


class Facts(NamedTuple):
    """Of one look-up."""

    keys: int
    bytes: int
    """Of the values of all keys, without overheads."""
    nodes: int
    span_ns: int
    """From the trace's first event to its last."""
    shortest_ns: float
    """Lifetimes are worth trying from here on."""
    has_nulls: bool
    has_writes: bool
    has_costs: bool
    has_scopes: bool
    clock: Clock | None


def facts_of(trace: Trace) -> dict[str, Facts]:
    """By look-up."""
    measured = measure(trace)
    return {name: _facts(trace, measured, number) for number, name in enumerate(trace.lookups)}


def _facts(trace: Trace, measured: Measured, number: int) -> Facts:
    reads = measured.reads.part(measured.parts[number])
    changes = measured.changes[trace.lookup[measured.changes] == number]
    last = np.append(reads.key[1:] != reads.key[:-1], True)[: len(reads)]
    gaps, between = reads.gap[reads.repeat], _gaps(trace, changes)
    return Facts(
        keys=int(np.count_nonzero(last)),
        bytes=int(reads.size[last & ~reads.null].sum()),
        nodes=len(trace.nodes) + has_unnamed_node(trace),
        span_ns=trace.span_ns,
        shortest_ns=min((percentiles(each, _SHORTEST)[0] for each in (gaps, between) if len(each)), default=0.0),
        has_nulls=bool(reads.null.any()),
        has_writes=_has_writes(trace, number),
        has_costs=bool((reads.cost > 0).any()),
        has_scopes=bool((reads.scope >= 0).any()),
        clock=clock_of(trace.at[changes], _late(reads, changes)),
    )


def _gaps(trace: Trace, changes: Longs) -> Longs:
    """The times between changes of the same key."""
    order = np.lexsort((changes, trace.key[changes]))
    rows = changes[order]
    same = trace.key[rows][1:] == trace.key[rows][:-1]
    gaps: Longs = np.diff(trace.at[rows])[same]
    return gaps


def _late(reads: Reads, changes: Longs) -> Longs:
    """How long ago the key had been read before, where a read shows the change; 0 where an event is the change."""
    order = np.argsort(reads.row)
    rows = reads.row[order]
    places = np.minimum(np.searchsorted(rows, changes), max(len(rows) - 1, 0))
    if not len(rows):
        return np.zeros(len(changes), np.int64)
    late: Longs = np.where(rows[places] == changes, reads.gap[order[places]], 0)
    return late


def _has_writes(trace: Trace, number: int) -> bool:
    if not {Op.WRITE, Op.REMOVE} & trace.ops:
        return False
    written = (trace.op == Op.WRITE) | (trace.op == Op.REMOVE)
    return bool(np.any(trace.lookup[written] == number))
