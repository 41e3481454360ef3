"""Runs the kernel: a trace's batches in, measures out."""

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
    total = _measures(sheets["total"], 0, span, waits.by_lookup.sum(), everywhere)
    lookups = {
        name: Measures(**_measures(sheets["lookups"], row, span, waits.by_lookup[row], shown[row]))
        for row, name in enumerate(trace.lookups)
    }
    slices = tuple(
        Slice(
            **_measures(sheets["slices"], row, end - begin, waits.by_slice[row], everywhere),
            begins_ns=begin,
            ends_ns=end,
        )
        for row, (begin, end) in enumerate(zip(sheets["begins"].tolist(), sheets["ends"].tolist(), strict=True))
    )
    return total, lookups, slices


def _measures(sheet: dict[str, Any], row: int, span_ns: int, uncached_ns: np.int64, changes: Changes) -> dict[str, Any]:
    """One row of a sheet (native/bind/sheet.hpp) as the arguments of Measures."""
    causes = len(kernel.CAUSES)
    counted = sheet["counts"][row].tolist()
    counts = dict(zip(kernel.COUNTS, counted[causes:], strict=True))
    sums = {
        name: (high << 64) | low
        for name, high, low in zip(
            kernel.SUMS, sheet["sums_high"][row].tolist(), sheet["sums_low"][row].tolist(), strict=True
        )
    }
    mosts = dict(zip(kernel.MOSTS, sheet["mosts"][row].tolist(), strict=True))
    misses = dict(zip(kernel.CAUSES, counted[:causes], strict=True))
    for own in ("stored", "superseded", "lost"):
        del counts[own]
    return {
        **counts,
        "misses_by_cause": {cause: misses[cause] for cause in CAUSES},
        "entries_peak": mosts["entries_peak"],
        "memory_peak": mosts["memory_peak"],
        "held_byte_ns": sums["held"],
        "idle_byte_ns": sums["idle_held"],
        "span_ns": span_ns,
        "origin_time_ns": sums["origin_time"],
        "read_time_ns": sums["read_time"],
        "longest_read_ns": mosts["longest_read"],
        "read_times": _spans(sheet["read_times"], row),
        "uncached_time_ns": int(uncached_ns),
        "answer_age_ns": sums["answer_age"],
        "oldest_answer_ns": mosts["oldest_answer"],
        "answer_ages": _spans(sheet["answer_ages"], row),
        "stale_age_ns": sums["stale_age"],
        "oldest_stale_ns": mosts["oldest_stale"],
        "stale_ages": _spans(sheet["stale_ages"], row),
        "surge_second": mosts["surge_second"],
        "surge_minute": mosts["surge_minute"],
        "changes": changes,
    }


def _spans(histograms: tuple[np.ndarray, np.ndarray, np.ndarray], row: int) -> Spans:
    ns, times, ends = histograms
    part = slice(int(ends[row - 1]) if row else 0, int(ends[row]))
    return Spans(ns[part], times[part])
