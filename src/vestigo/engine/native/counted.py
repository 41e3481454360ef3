"""Runs the kernel: it takes the batches of a trace and returns measures."""

from itertools import pairwise

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.changes import changes_of, together
from vestigo.engine.job import Job
from vestigo.engine.native.feed import Fed
from vestigo.outcome import Changes, Measures, Slices, Spans
from vestigo.outcome.measures import Fields
from vestigo.prepared.fill import uncached
from vestigo.stopping import check
from vestigo.trace import Trace

_FOR_TESTS = {"stored", "superseded", "lost"}
"""Counts that the kernel's own tests ask for."""


def run(
    trace: Trace, job: Job, batch_events: int | None = None, full: bool = False
) -> tuple[Fields, dict[str, Measures], Slices]:
    """The measures of all look-ups together, of each look-up, and of each slice of time. They do not depend on the size
    of the batches, nor on using the `full` replay where the plain one would do. Raises GivenUp if told to stop.
    """
    if len(trace) == 0:
        from vestigo.engine.reference.run import run as reference_run

        return reference_run(trace, job)
    fed = Fed(trace, job, full)
    replay = fed.begin()
    for batch in fed.batches(replay, batch_events):
        check()
        replay.feed(batch.columns, batch.next_reads)
    sheets = replay.close()
    span = int(trace.at[-1] - trace.at[job.first_counted])
    waits = uncached(trace, job.assumed, job.first_counted, job.slicing)
    shown = changes_of(trace)
    everywhere = together(shown)
    total = _columns(sheets["total"], [span], [int(waits.by_lookup.sum())], [everywhere])
    of_lookups = _columns(sheets["lookups"], [span] * len(shown), waits.by_lookup.tolist(), [*shown])
    lookups = {name: Measures(**_row(of_lookups, row)) for row, name in enumerate(trace.lookups)}
    begins, ends = sheets["begins"].tolist(), sheets["ends"].tolist()
    spans = [end - begin for begin, end in zip(begins, ends, strict=True)]
    of_slices = _columns(sheets["slices"], spans, waits.by_slice[: len(spans)].tolist(), [everywhere] * len(spans))
    return _row(total, 0), lookups, Slices(of_slices | {"begins_ns": begins, "ends_ns": ends})


def _columns(
    sheet: Fields, spans_ns: list[int], uncached_ns: list[int], changes: list[Changes]
) -> dict[str, list[object]]:
    """A sheet (native/bind/sheet.hpp) as the arguments of Measures, a list of values for each. The kernel counts under
    the names that `Measures` has (native/include/vestigo/tally.def).
    """
    causes = len(kernel.CAUSES)
    counts = dict(zip(kernel.COUNTS, sheet["counts"].T[causes:].tolist(), strict=True))
    halves = zip(sheet["sums_high"].T.tolist(), sheet["sums_low"].T.tolist(), strict=True)
    sums = {
        name: [(high << 64) | low for high, low in zip(*half, strict=True)]
        for name, half in zip(kernel.SUMS, halves, strict=True)
    }
    mosts = dict(zip(kernel.MOSTS, sheet["mosts"].T.tolist(), strict=True))
    histograms = {name: _spans(*sheet[name]) for name in ("read_times", "answer_ages", "stale_ages")}
    found = {name: values for name, values in (counts | sums | mosts | histograms).items() if name not in _FOR_TESTS}
    misses = [dict(zip(kernel.CAUSES, row, strict=True)) for row in sheet["counts"][:, :causes].tolist()]
    others = {"span_ns": spans_ns, "uncached_time_ns": uncached_ns, "changes": changes}
    return {**found, "misses_by_cause": misses, **others}


def _row(columns: dict[str, list[object]], row: int) -> Fields:
    return {name: values[row] for name, values in columns.items()}


def _spans(ns: np.ndarray, times: np.ndarray, ends: np.ndarray) -> list[Spans]:
    """Histograms that are stored one after the other."""
    return [Spans(ns[begin:end], times[begin:end]) for begin, end in pairwise([0, *ends.tolist()])]
