"""The kernel's sheets as measures. A sheet has what several tallies counted, as arrays (native/bind/sheet.hpp)."""

from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.changes import changes_of, together
from vestigo.engine.job import Job
from vestigo.outcome import Changes, Measures, Spans
from vestigo.outcome.measures import Fields
from vestigo.prepared.fill import Uncached, uncached

_OF_THE_KERNEL = {"stored", "superseded", "lost", "other_loads"}
"""Counts that it needs for itself, or for its own tests."""
Sheet = dict[str, Any]


class SheetReader:
    """Reads the sheets of a job. It adds what they do not tell because it is the same for all settings: times without a
    cache, and how the trace shows changes.
    """

    def __init__(self, job: Job) -> None:
        trace = job.trace
        self._names = trace.lookups
        self._span = int(trace.at[-1] - trace.at[job.first_counted])
        self._waits: Uncached = uncached(trace, job.assumed, job.first_counted, job.slicing)
        self._shown = changes_of(trace)
        self._origin_stated = job.origins.stated(len(trace.lookups))

    def total(self, sheet: Sheet) -> Fields:
        """The fields of `Measures` for all look-ups together."""
        waits = [int(self._waits.by_lookup.sum())]
        return _row(self._of_all(sheet, [self._span], waits), 0)

    def lookups(self, sheet: Sheet, numbers: Sequence[int]) -> dict[str, Measures]:
        """The measures of look-ups, which have these numbers in the trace."""
        waits = [int(self._waits.by_lookup[number]) for number in numbers]
        changes = [self._shown[number] for number in numbers]
        stated = [self._origin_stated[number] for number in numbers]
        columns = _columns(sheet, [self._span] * len(numbers), waits, changes, stated)
        return {self._names[number]: Measures(**_row(columns, row)) for row, number in enumerate(numbers)}

    def slices(self, sheet: Sheet, begins_ns: Sequence[int], ends_ns: Sequence[int]) -> dict[str, list[object]]:
        """The fields of each slice of time."""
        spans = [end - begin for begin, end in zip(begins_ns, ends_ns, strict=True)]
        waits = self._waits.by_slice[: len(spans)].tolist()
        columns = self._of_all(sheet, spans, waits)
        return columns | {"begins_ns": list(begins_ns), "ends_ns": list(ends_ns)}

    def halves(self, sheets: Sheet, until: int) -> tuple[Measures, Measures]:
        """The measures of the slices before `until`, and of the others, at least the last. They are two rows of the
        sheet of slices.
        """
        begins, ends = sheets["begins"], sheets["ends"]
        split = min(until, len(begins))
        halves = slice(0, split), slice(min(split, len(begins) - 1), len(begins))
        spans = [int((ends[half] - begins[half]).sum()) for half in halves]
        waits = [int(self._waits.by_slice[half].sum()) for half in halves]
        columns = self._of_all(sheets["slices"], spans, waits)
        return Measures(**_row(columns, 0)), Measures(**_row(columns, 1))

    def _of_all(self, sheet: Sheet, spans_ns: list[int], waits: list[int]) -> dict[str, list[object]]:
        """The columns of tallies that have all look-ups together."""
        changes, stated = together(self._shown), any(self._origin_stated)
        return _columns(sheet, spans_ns, waits, [changes] * len(spans_ns), [stated] * len(spans_ns))


def slices_before(split_ns: int, job: Job) -> int:
    """The number of slices that begin before a moment, at least one."""
    return max(-(-(split_ns - job.slicing.origin_ns) // job.slicing.width_ns), 1)


def counts_of_slices(counts: np.ndarray, names: Iterable[str]) -> dict[str, list[int]]:
    """Counts by name from rows of the kernel's counts. ``reads`` is one of them."""
    causes = len(kernel.CAUSES)

    def column(name: str) -> np.ndarray:
        if name == "reads":
            reads: np.ndarray = counts[:, :causes].sum(axis=1) + column("hits") + column("joined") + column("failed")
            return reads
        return counts[:, causes + kernel.COUNTS.index(name)]

    return {name: column(name).tolist() for name in names}


def _columns(
    sheet: Sheet, spans_ns: list[int], uncached_ns: list[int], changes: list[Changes], origin_stated: list[bool]
) -> dict[str, list[object]]:
    """A sheet as the arguments of Measures, a list of values for each. The kernel counts under the names that
    `Measures` has (native/include/vestigo/tally.def).
    """
    causes = len(kernel.CAUSES)
    counts = dict(zip(kernel.COUNTS, sheet["counts"].T[causes:].tolist(), strict=True))
    halves = zip(sheet["sums_high"].T.tolist(), sheet["sums_low"].T.tolist(), strict=True)
    sums = {
        name: [(high << 64) | low for high, low in zip(*half, strict=True)]
        for name, half in zip(kernel.SUMS, halves, strict=True)
    }
    mosts = dict(zip(kernel.MOSTS, sheet["mosts"].T.tolist(), strict=True))
    histograms = {name: _spans(*sheet[name]) for name in kernel.SPANS}
    found = {
        name: values for name, values in (counts | sums | mosts | histograms).items() if name not in _OF_THE_KERNEL
    }
    misses = [dict(zip(kernel.CAUSES, row, strict=True)) for row in sheet["counts"][:, :causes].tolist()]
    others = {
        "span_ns": spans_ns,
        "uncached_time_ns": uncached_ns,
        "changes": changes,
        "origin_stated": origin_stated,
    }
    return {**found, "misses_by_cause": misses, **others}


def _row(columns: dict[str, list[object]], row: int) -> Fields:
    return {name: values[row] for name, values in columns.items()}


def _spans(ns: np.ndarray, times: np.ndarray, ends: np.ndarray) -> list[Spans]:
    """Histograms that are stored one after the other."""
    return [Spans(ns[begin:end], times[begin:end]) for begin, end in pairwise([0, *ends.tolist()])]
