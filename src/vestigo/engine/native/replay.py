"""Runs the kernel: a trace's batches in, measures out."""

from typing import Any

import numpy as np

from vestigo.engine import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.batches import batches
from vestigo.engine.native.future import next_reads
from vestigo.errors import RulesError
from vestigo.outcome import CAUSES, Measures, Slice, Spans
from vestigo.rules import Rules
from vestigo.trace import Trace

_KERNEL_NAMES = {"2q": "two_q", "w-tinylfu": "w_tiny_lfu"}


def run(
    trace: Trace, job: Job, batch_events: int | None = None
) -> tuple[dict[str, Any], dict[str, Measures], tuple[Slice, ...]]:
    """The measures of all look-ups together, of each, and of each slice of time. How many events are fed to the kernel
    at once makes no difference to them.
    """
    if len(trace) == 0:
        from vestigo.engine import reference

        return reference.run(trace, job)
    slicing = job.slicing
    replay = kernel.Replay(
        trace.key_lookup if len(trace.key_lookup) else np.zeros(1, np.int32),
        [_kernel_rules(rules) for rules in job.rules or (Rules(),)],
        list(job.pool_of) or [0],
        [_pool_rules(rules) for rules in job.pools or (Rules(),)],
        job.first_counted,
        not job.instant and int(trace.cost.max()) > 0,
        slicing.origin_ns,
        slicing.width_ns,
        slicing.most,
    )
    foresight = any(rules.eviction.name == "belady" for rules in job.pools)
    following = next_reads(trace) if foresight else None
    begin = 0
    for batch in batches(trace, batch_events):
        replay.feed(batch, None if following is None else following[begin : begin + batch.events])
        begin += batch.events
    sheets = replay.close()
    span = int(trace.at[-1] - trace.at[job.first_counted])
    total = _measures(sheets["total"], 0, span)
    lookups = {name: Measures(**_measures(sheets["lookups"], row, span)) for row, name in enumerate(trace.lookups)}
    slices = tuple(
        Slice(**_measures(sheets["slices"], row, end - begin), begins_ns=begin, ends_ns=end)
        for row, (begin, end) in enumerate(zip(sheets["begins"].tolist(), sheets["ends"].tolist(), strict=True))
    )
    return total, lookups, slices


def _kernel_rules(rules: Rules) -> Any:
    made = kernel.Rules()
    for name in ("absolute", "sliding", "clear_every"):
        if getattr(rules, name) is not None:
            setattr(made, name, int(getattr(rules, name)))
    null_lifetime = rules.nulls.lifetime or rules.absolute
    if null_lifetime is not None:
        made.null_lifetime = int(null_lifetime)
    if rules.absolute is not None:
        made.jitter = int(rules.absolute * rules.jitter)
        made.null_jitter = 0 if rules.nulls.lifetime else made.jitter
    made.drop_first = rules.drop_first
    made.survives_restart = rules.survives_restart
    made.entry_overhead = rules.entry_overhead
    made.hit_cost = int(rules.hit_cost)
    made.nulls = kernel.Nulls[rules.nulls.mode]
    made.on_write = kernel.OnWrite[rules.on_write]
    made.overlap = kernel.Overlap[rules.overlap]
    return made


def _pool_rules(rules: Rules) -> Any:
    if rules.eviction.own is not None:
        raise RulesError(f'eviction: {rules.eviction.name} is in Python; replay it with engine="reference"')
    made = kernel.PoolRules()
    for limit in ("max_entries", "max_bytes"):
        if getattr(rules, limit) is not None:
            setattr(made, limit, getattr(rules, limit))
    made.refuses = rules.when_full.mode == "refuse"
    if rules.when_full.mode == "trim":
        made.trims = True
        made.trim_entries = made.max_entries if rules.max_entries is None else rules.when_full.stay(rules.max_entries)
        made.trim_bytes = made.max_bytes if rules.max_bytes is None else rules.when_full.stay(rules.max_bytes)
    made.eviction = kernel.Eviction[_KERNEL_NAMES.get(rules.eviction.name, rules.eviction.name.replace("-", "_"))]
    numbers = rules.room.numbers
    made.eviction_numbers = [*numbers, *[0] * (3 - len(numbers))]
    return made


def _measures(sheet: dict[str, Any], row: int, span_ns: int) -> dict[str, Any]:
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
        "misses_by_cause": {cause: misses.get(cause, 0) for cause in CAUSES},
        "entries_peak": mosts["entries_peak"],
        "memory_peak": mosts["memory_peak"],
        "held_byte_ns": sums["held"],
        "idle_byte_ns": sums["idle_held"],
        "span_ns": span_ns,
        "origin_time_ns": sums["origin_time"],
        "read_time_ns": sums["read_time"],
        "longest_read_ns": mosts["longest_read"],
        "read_times": _spans(sheet["read_times"], row),
        "stale_age_ns": sums["stale_age"],
        "oldest_stale_ns": mosts["oldest_stale"],
        "stale_ages": _spans(sheet["stale_ages"], row),
        "surge_second": mosts["surge_second"],
        "surge_minute": mosts["surge_minute"],
    }


def _spans(histograms: tuple[np.ndarray, np.ndarray, np.ndarray], row: int) -> Spans:
    ns, times, ends = histograms
    part = slice(int(ends[row - 1]) if row else 0, int(ends[row]))
    return Spans(ns[part], times[part])
