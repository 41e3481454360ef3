"""Measures the look-ups of a trace with array operations, without a Python object for each event."""

from concurrent.futures import Future
from dataclasses import dataclass, fields
from typing import NamedTuple

import numpy as np

from vestigo.describing.traits import Traits
from vestigo.engine.changes import changes_of
from vestigo.prepared.fill import filler
from vestigo.prepared.neighbours import by_key, changed, goes_on, seen_before
from vestigo.prepared.truth import Truths, truths
from vestigo.threads import each_side_by_side, side_by_side
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_VALUED
from vestigo.units import SECOND

_MOST_SECONDS = 50_000_000


@dataclass(frozen=True)
class Reads:
    """Reads with what is known of them, ordered by look-up, then by key, then by time. All arrays have the same
    length.
    """

    row: np.ndarray
    """The row of the read in the trace."""
    key: np.ndarray
    at: np.ndarray
    scope: np.ndarray
    value: np.ndarray
    """The number of the value that it finds."""
    null: np.ndarray
    cost: np.ndarray
    cost_assumed: np.ndarray
    size: np.ndarray
    size_assumed: np.ndarray
    repeat: np.ndarray
    """Whether the key was read before."""
    fresh: np.ndarray
    """Whether it also has the same value as the previous read."""
    answerable: np.ndarray
    """Whether an earlier event had a value of the key: a read, a write or a preload."""
    fresh_answerable: np.ndarray
    """Whether an earlier event had the value that the key has now."""
    scope_answerable: np.ndarray
    """Whether a read of the same scope had the value that the key has now."""
    gap: np.ndarray
    """The time since the previous read of the key in ns, or 0 for a first read."""

    def __len__(self) -> int:
        return len(self.row)

    def part(self, rows: slice) -> "Reads":
        return Reads(**{field.name: getattr(self, field.name)[rows] for field in fields(self)})


@dataclass(frozen=True)
class Measured:
    """What figures and findings need besides the numbers."""

    reads: Reads
    parts: tuple[slice, ...]
    """The range of reads of each look-up."""
    changes: np.ndarray
    """The events at which a value changed, in no particular order."""


def measure(trace: Trace) -> Measured:
    with side_by_side() as threads:
        ordered = threads.submit(by_key, trace, np.flatnonzero(trace.op <= LAST_VALUED))
        known, row = truths(trace), ordered.result()
    columns: tuple[np.ndarray, ...] = (trace.op, trace.key, known.value)
    events = _Events(row, *each_side_by_side(lambda column: column[row], columns))
    with side_by_side() as threads:
        answerable, changes = threads.submit(_answerable, events.key, events.value), threads.submit(_changes, events)
        reads = _reads(trace, known, events, answerable)
    ends = np.cumsum(np.bincount(trace.key_lookup[reads.key], minlength=len(trace.lookups))).tolist()
    parts = tuple(slice(begin, end) for begin, end in zip([0, *ends], ends, strict=False))
    return Measured(reads, parts, changes.result())


class _Events(NamedTuple):
    """The events of keys, by look-up, then by key, then by time."""

    row: np.ndarray
    op: np.ndarray
    key: np.ndarray
    value: np.ndarray


def traits_of(trace: Trace, measured: Measured) -> tuple[Traits, dict[str, Traits]]:
    """The numbers of all look-ups together, and of each."""
    changes = np.bincount(trace.lookup[measured.changes], minlength=len(trace.lookups)).tolist()
    known = [shown != "nowhere" for shown in changes_of(trace)]
    span = trace.span_ns / 1e9
    everything = (slice(None), sum(changes), all(known))
    total, *each = each_side_by_side(
        lambda asked: _traits(measured.reads.part(asked[0]), *asked[1:], span),
        [everything, *zip(measured.parts, changes, known, strict=True)],
    )
    return total, dict(zip(trace.lookups, each, strict=True))


def _reads(trace: Trace, known: Truths, events: _Events, answerable: "Future[_Answerable]") -> Reads:
    is_read = events.op == Op.READ
    own = slice(None) if is_read.all() else is_read
    row, key, value = events.row[own], events.key[own], events.value[own]
    fill = filler(trace)
    columns: tuple[np.ndarray, ...] = (trace.at, known.null, fill.sizes(trace, known.null), fill.costs(trace))
    at, null, size, cost = each_side_by_side(lambda column: column[row], columns)
    scope = trace.scope[row] if len(trace.scopes) else np.broadcast_to(np.int32(MISSING), len(row))
    repeat, fresh = goes_on(key), goes_on(key, value)
    gap = np.where(repeat, np.diff(at, prepend=0), 0)
    in_scope = scope != MISSING
    in_scope[in_scope] = seen_before(*(column[in_scope] for column in (scope, key, value)))
    return Reads(
        row=_narrow(row),
        key=key,
        at=at,
        scope=scope,
        value=_narrow(value),
        null=null,
        cost=cost,
        cost_assumed=_is_missing(trace.cost, row),
        size=size,
        size_assumed=_is_missing(trace.size, row) & ~null,
        repeat=repeat,
        fresh=fresh,
        answerable=answerable.result().at_all[own],
        fresh_answerable=answerable.result().with_value[own],
        scope_answerable=in_scope,
        gap=gap,
    )


def _is_missing(column: np.ndarray, row: np.ndarray) -> np.ndarray:
    missing: np.ndarray = column == MISSING
    return missing[row] if missing.any() else np.broadcast_to(False, len(row))


def _narrow(numbers: np.ndarray) -> np.ndarray:
    """In half of the memory, if that is enough for them."""
    return numbers.astype(np.int32) if len(numbers) and int(numbers.max()) < 2**31 else numbers


class _Answerable(NamedTuple):
    """Of rows by key and time, which a cache could answer."""

    at_all: np.ndarray
    """An earlier row has the key."""
    with_value: np.ndarray
    """An earlier row has the key with this value."""


def _answerable(key: np.ndarray, value: np.ndarray) -> _Answerable:
    same = goes_on(key)
    return _Answerable(same, seen_before(key, value) if changed(key, value).any() else same)


def _changes(events: _Events) -> np.ndarray:
    """The events at which a value changed. A value that is seen for the first time is not a change, unless it was
    written.
    """
    written = ~goes_on(events.key) & ((events.op == Op.WRITE) | (events.op == Op.REMOVE))
    found: np.ndarray = events.row[changed(events.key, events.value) | written]
    return found


def _traits(reads: Reads, changes: int, changes_known: bool, span: float) -> Traits:
    first = ~reads.repeat
    last = np.append(first[1:], True)[: len(reads)]
    keys = _count(first)
    null_keys, created = _null_keys(reads)
    cost_p50, cost_p95 = percentiles(reads.cost, 50, 95)
    size_p50, size_p95 = percentiles(reads.size[~reads.null], 50, 95)
    gap_p50, gap_p90 = percentiles(reads.gap[reads.repeat], 50, 90)
    scoped = reads.scope != MISSING
    scope, scoped_key = reads.scope[scoped].astype(np.int64), reads.key[scoped]
    pairs = len(np.unique(scope << 32 | scoped_key))
    return Traits(
        reads=len(reads),
        keys=keys,
        once_share=_count(first & last) / max(keys, 1),
        repeats=_count(reads.repeat),
        fresh_repeats=_count(reads.fresh),
        nulls=_count(reads.null),
        answerable=_count(reads.answerable),
        fresh_answerable=_count(reads.fresh_answerable),
        null_answerable=_count(reads.fresh_answerable & reads.null),
        scope_answerable=_count(reads.scope_answerable),
        null_keys=null_keys,
        null_keys_created=created,
        origin_time=float(reads.cost.sum()) / 1e9,
        saveable_time=float(reads.cost[reads.fresh_answerable].sum()) / 1e9,
        cost_p50=cost_p50 / 1e9,
        cost_p95=cost_p95 / 1e9,
        cost_first=float(reads.cost[np.argmin(reads.row)]) / 1e9 if len(reads) else 0.0,
        costs_assumed=_count(reads.cost_assumed),
        size_p50=size_p50,
        size_p95=size_p95,
        size_of_all=int(reads.size[last & ~reads.null].sum()),
        sizes_assumed=_count(reads.size_assumed),
        changes=changes,
        changes_known=changes_known,
        gap_p50=gap_p50 / 1e9,
        gap_p90=gap_p90 / 1e9,
        scopes=len(np.unique(scope)),
        scoped_reads=len(scope),
        scope_repeats=len(scope) - pairs,
        busiest_second=_busiest(reads.at),
        span=span,
    )


def percentiles(amounts: np.ndarray, *percents: float) -> list[float]:
    """For each percentage, the smallest amount that this share does not exceed, or 0 if there are no amounts."""
    if len(amounts) == 0:
        return [0.0] * len(percents)
    places = [max(int(np.ceil(len(amounts) * percent / 100)) - 1, 0) for percent in percents]
    return [float(amount) for amount in np.partition(amounts, places)[places]]


def _count(flags: np.ndarray) -> int:
    return int(np.count_nonzero(flags))


def _null_keys(reads: Reads) -> tuple[int, int]:
    """The number of keys for which a read found nothing, and for how many of them a later read found something."""
    rows = np.flatnonzero(reads.null)
    if len(rows) == 0:
        return 0, 0
    keys, places = np.unique(reads.key[rows], return_index=True)
    found = np.flatnonzero(~reads.null)
    last_found = np.full(int(reads.key.max()) + 1, -1, np.int64)
    last_found[reads.key[found]] = found  # in time order, so the last one stays
    return len(keys), _count(last_found[keys] > rows[places])


def _busiest(at: np.ndarray) -> int:
    """The largest number of reads in one second."""
    if len(at) == 0:
        return 0
    second = at // SECOND
    second -= second.min()
    if int(second.max()) < _MOST_SECONDS:
        return int(np.bincount(second).max())
    return int(np.unique(second, return_counts=True)[1].max())
