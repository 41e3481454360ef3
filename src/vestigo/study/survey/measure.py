"""Measures a trace's look-ups with array operations: no Python object per event."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vestigo.engine.fill import fill_costs, fill_sizes
from vestigo.study.survey.traits import Traits
from vestigo.study.truths import Truths, truths
from vestigo.trace import Op, Trace
from vestigo.trace.trace import MISSING
from vestigo.units import SECOND


@dataclass(frozen=True)
class Reads:
    """Every read in the order of its key, then of time, with what is known of it. All arrays have its length."""

    row: np.ndarray
    """Which event of the trace."""
    key: np.ndarray
    lookup: np.ndarray
    at: np.ndarray
    null: np.ndarray
    cost: np.ndarray
    size: np.ndarray
    repeat: np.ndarray
    """Whether the key was read before."""
    fresh: np.ndarray
    """Whether it also has the value of the read before."""
    gap: np.ndarray
    """Time since the read before, in ns; 0 for a first read."""


@dataclass(frozen=True)
class Measured:
    """What figures and findings need besides the numbers."""

    reads: Reads
    changes: np.ndarray
    """The events at which a value changed, in no order."""


def measure(trace: Trace) -> Measured:
    known = truths(trace)
    keyed = np.flatnonzero(trace.op <= Op.REMOVE)
    order = keyed[np.argsort(trace.key[keyed], kind="stable")]
    return Measured(_reads(trace, known, order), _changes(trace, known, order))


def traits_of(trace: Trace, measured: Measured) -> tuple[Traits, dict[str, Traits]]:
    """Of all look-ups together, and of each."""
    number = len(trace.lookups)
    group = measured.reads.lookup
    each = list(_traits(trace, measured, group, trace.lookup[measured.changes], number))
    together = _traits(trace, measured, np.zeros_like(group), np.zeros(len(measured.changes), np.int32), 1)
    return next(together), dict(zip(trace.lookups, each, strict=True))


def _reads(trace: Trace, known: Truths, order: np.ndarray) -> Reads:
    row = order[trace.op[order] == Op.READ]
    key, at, value = trace.key[row], trace.at[row], known.value[row]
    repeat = np.zeros(len(row), bool)
    repeat[1:] = key[1:] == key[:-1]
    fresh = repeat.copy()
    fresh[1:] &= value[1:] == value[:-1]
    gap = np.zeros(len(row), np.int64)
    gap[1:] = np.where(repeat[1:], at[1:] - at[:-1], 0)
    return Reads(
        row=row,
        key=key,
        lookup=trace.lookup[row],
        at=at,
        null=known.null[row],
        cost=fill_costs(trace, known.null)[row],
        size=fill_sizes(trace, known.null)[row],
        repeat=repeat,
        fresh=fresh,
        gap=gap,
    )


def _changes(trace: Trace, known: Truths, order: np.ndarray) -> np.ndarray:
    """A first sight of a value is no change, but for a write."""
    key, value = trace.key[order], known.value[order]
    seen = np.zeros(len(order), bool)
    seen[1:] = key[1:] == key[:-1]
    other = np.zeros(len(order), bool)
    other[1:] = value[1:] != value[:-1]
    changed: np.ndarray = order[np.where(seen, other, trace.op[order] != Op.READ)]
    return changed


def _traits(
    trace: Trace, measured: Measured, group: np.ndarray, change_group: np.ndarray, groups: int
) -> Iterator[Traits]:
    """One for each group of look-ups. `group` is that of each read."""
    reads = measured.reads

    def count(chosen: np.ndarray) -> list[int]:
        return [int(n) for n in np.bincount(group[chosen], minlength=groups)]

    def total(amounts: np.ndarray, chosen: np.ndarray) -> list[float]:
        return [float(n) for n in np.bincount(group[chosen], amounts[chosen], minlength=groups)]

    every = np.ones(len(reads.row), bool)
    first, last = ~reads.repeat, np.append(~reads.repeat[1:], len(reads.row) > 0)[: len(reads.row)]
    null_keys, created = _null_keys(reads)
    scoped, scopes, scope_repeats = _scopes(trace, reads, group, groups)
    counts = {
        "reads": count(every),
        "keys": count(first),
        "repeats": count(reads.repeat),
        "fresh_repeats": count(reads.fresh),
        "nulls": count(reads.null),
        "null_repeats": count(reads.fresh & reads.null),
        "null_keys": count(null_keys),
        "null_keys_created": count(created),
        "costs_assumed": count(trace.cost[reads.row] == MISSING),
        "sizes_assumed": count((trace.size[reads.row] == MISSING) & ~reads.null),
        "size_of_all": [int(size) for size in total(reads.size, last & ~reads.null)],
        "changes": [int(n) for n in np.bincount(change_group, minlength=groups)],
        "scopes": scopes,
        "scoped_reads": scoped,
        "scope_repeats": scope_repeats,
        "busiest_second": _busiest(reads.at // SECOND, group, groups),
    }
    once = count(first & last)
    origin_time, saveable = total(reads.cost, every), total(reads.cost, reads.fresh)
    costs, sizes = _Grouped(group, every), _Grouped(group, ~reads.null)
    gaps, rows = _Grouped(group, reads.repeat), _Grouped(group, every)
    for one in range(groups):
        cost, size, gap = costs.of(one, reads.cost), sizes.of(one, reads.size), gaps.of(one, reads.gap)
        earliest = rows.of(one, reads.row)
        yield Traits(
            **{name: numbers[one] for name, numbers in counts.items()},
            once_share=once[one] / max(counts["keys"][one], 1),
            origin_time=origin_time[one] / 1e9,
            saveable_time=saveable[one] / 1e9,
            cost_p50=percentile(cost, 50) / 1e9,
            cost_p95=percentile(cost, 95) / 1e9,
            cost_first=float(cost[np.argmin(earliest)]) / 1e9 if len(earliest) else 0.0,
            size_p50=percentile(size, 50),
            size_p95=percentile(size, 95),
            gap_p50=percentile(gap, 50) / 1e9,
            gap_p90=percentile(gap, 90) / 1e9,
            span=trace.span_ns / 1e9,
        )


class _Grouped:
    """The chosen reads, sorted by group once, so that each group's are a slice."""

    def __init__(self, group: np.ndarray, chosen: np.ndarray) -> None:
        rows = np.flatnonzero(chosen)
        self._rows = rows[np.argsort(group[rows], kind="stable")]
        self._ends = np.cumsum(np.bincount(group[rows]))

    def of(self, group: int, amounts: np.ndarray) -> np.ndarray:
        if group >= len(self._ends):
            return amounts[:0]
        return amounts[self._rows[self._ends[group - 1] if group else 0 : self._ends[group]]]


def percentile(amounts: np.ndarray, percent: float) -> float:
    """The smallest amount that so many percent do not exceed; 0 of nothing."""
    if len(amounts) == 0:
        return 0.0
    place = max(int(np.ceil(len(amounts) * percent / 100)) - 1, 0)
    return float(np.partition(amounts, place)[place])


def _null_keys(reads: Reads) -> tuple[np.ndarray, np.ndarray]:
    """The first null read of each key, and those of them after which a read of the key found something."""
    first = np.zeros(len(reads.row), bool)
    created = np.zeros(len(reads.row), bool)
    rows = np.flatnonzero(reads.null)
    keys, places = np.unique(reads.key[rows], return_index=True)
    first_null = rows[places]
    first[first_null] = True
    found = np.flatnonzero(~reads.null)
    last_found = np.full(int(reads.key.max(initial=0)) + 1, -1, np.int64)
    last_found[reads.key[found]] = found  # reads are in the order of time: the last one stays
    created[first_null[last_found[keys] > first_null]] = True
    return first, created


def _scopes(trace: Trace, reads: Reads, group: np.ndarray, groups: int) -> tuple[list[int], list[int], list[int]]:
    """Reads with a scope, distinct scopes, and reads that repeat a key within their scope."""
    scope = trace.scope[reads.row].astype(np.int64)
    rows = np.flatnonzero(scope != MISSING)
    scoped = np.bincount(group[rows], minlength=groups)
    scopes = np.bincount(np.unique(scope[rows] * groups + group[rows]) % groups, minlength=groups)
    key_group = np.zeros(len(trace.keys) + 1, np.int64)
    key_group[reads.key[rows]] = group[rows]
    keys = len(trace.keys) + 1
    pairs = np.bincount(key_group[np.unique(scope[rows] * keys + reads.key[rows]) % keys], minlength=groups)
    return scoped.tolist(), scopes.tolist(), (scoped - pairs).tolist()


def _busiest(second: np.ndarray, group: np.ndarray, groups: int) -> list[int]:
    """The most reads of each group in one second."""
    if len(second) == 0:
        return [0] * groups
    cells, counts = np.unique((second - second.min()) * groups + group, return_counts=True)
    most = np.zeros(groups, np.int64)
    np.maximum.at(most, cells % groups, counts)
    return most.tolist()
