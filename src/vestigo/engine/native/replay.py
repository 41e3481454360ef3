"""Runs the kernel: a trace's batches in, measures out."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from vestigo.engine import kernel
from vestigo.engine.changes import changes_of, together
from vestigo.engine.job import Job
from vestigo.engine.native.batches import batches
from vestigo.engine.native.begin import begin_full, begin_plain, is_plain
from vestigo.engine.native.entries import entries_for
from vestigo.engine.native.future import next_reads
from vestigo.engine.native.uncached import uncached
from vestigo.outcome import CAUSES, Changes, Measures, Slice, Spans
from vestigo.trace import Trace


def run(
    trace: Trace, job: Job, batch_events: int | None = None, full: bool = False
) -> tuple[dict[str, Any], dict[str, Measures], tuple[Slice, ...]]:
    """The measures of all look-ups together, of each, and of each slice of time. How many events are fed to the kernel
    at once makes no difference to them, nor whether the `full` replay is used where the plain one will do.
    """
    if len(trace) == 0:
        from vestigo.engine import reference

        return reference.run(trace, job)
    full = len(trace.lookups) > 0 and (full or not is_plain(trace, job))
    entries = entries_for(trace, job.rooms)
    replay = begin_full(trace, job, entries) if full else begin_plain(trace, job, entries)
    foresight = any(pool.eviction.name == "belady" for pool in job.rooms.pools)
    following = next_reads(trace, job.rooms) if foresight else None
    begin = 0
    for batch in batches(trace, job.assumed, entries, batch_events):
        replay.feed(batch, None if following is None else following[begin : begin + batch.events])
        begin += batch.events
    sheets = replay.close()
    span, waits = int(trace.at[-1] - trace.at[job.first_counted]), uncached(trace, job)
    shown = changes_of(trace)
    everywhere = together(shown)
    (total,) = _measures(sheets["total"], [span], [int(waits.by_lookup.sum())], [everywhere])
    of_lookups = _measures(sheets["lookups"], [span] * len(shown), waits.by_lookup.tolist(), shown)
    lookups = {name: Measures(**each) for name, each in zip(trace.lookups, of_lookups, strict=True)}
    times = list(zip(sheets["begins"].tolist(), sheets["ends"].tolist(), strict=True))
    spans = [end - begin for begin, end in times]
    of_slices = _measures(sheets["slices"], spans, waits.by_slice[: len(times)].tolist(), [everywhere] * len(times))
    slices = tuple(
        Slice(**each, begins_ns=begin, ends_ns=end) for each, (begin, end) in zip(of_slices, times, strict=True)
    )
    return total, lookups, slices


def _measures(
    sheet: dict[str, Any], spans_ns: list[int], uncached_ns: list[int], changes: Sequence[Changes]
) -> Iterator[dict[str, Any]]:
    """The rows of a sheet (native/bind/sheet.hpp) as the arguments of Measures."""
    causes = len(kernel.CAUSES)
    rows = zip(*(sheet[name].tolist() for name in ("counts", "sums_high", "sums_low", "mosts")), strict=True)
    spans = zip(*(_spans(*sheet[name]) for name in ("read_times", "answer_ages", "stale_ages")), strict=True)
    known = zip(rows, spans, spans_ns, uncached_ns, changes, strict=False)  # of no look-up the kernel has one row
    for (counted, high, low, mosts), (read_times, answer_ages, stale_ages), span, waited, shown in known:
        counts = dict(zip(kernel.COUNTS, counted[causes:], strict=True))
        for own in ("stored", "superseded", "lost"):
            del counts[own]
        misses = dict(zip(kernel.CAUSES, counted[:causes], strict=True))
        sums = {name: (a << 64) | b for name, a, b in zip(kernel.SUMS, high, low, strict=True)}
        most = dict(zip(kernel.MOSTS, mosts, strict=True))
        yield {
            **counts,
            "misses_by_cause": {cause: misses[cause] for cause in CAUSES},
            "entries_peak": most["entries_peak"],
            "memory_peak": most["memory_peak"],
            "held_byte_ns": sums["held"],
            "idle_byte_ns": sums["idle_held"],
            "span_ns": span,
            "origin_time_ns": sums["origin_time"],
            "read_time_ns": sums["read_time"],
            "longest_read_ns": most["longest_read"],
            "read_times": read_times,
            "uncached_time_ns": waited,
            "answer_age_ns": sums["answer_age"],
            "oldest_answer_ns": most["oldest_answer"],
            "answer_ages": answer_ages,
            "stale_age_ns": sums["stale_age"],
            "oldest_stale_ns": most["oldest_stale"],
            "stale_ages": stale_ages,
            "surge_second": most["surge_second"],
            "surge_minute": most["surge_minute"],
            "changes": shown,
        }


def _spans(ns: np.ndarray, times: np.ndarray, ends: np.ndarray) -> Iterator[Spans]:
    """Histograms that stand end to end."""
    return (Spans(ns[begin:end], times[begin:end]) for begin, end in pairwise([0, *ends.tolist()]))
