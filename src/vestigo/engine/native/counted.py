"""Runs the kernel: the parts of a job are replayed side by side, and summed up."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import count
from typing import Any, NamedTuple

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.known_parts import KnownParts, known_parts
from vestigo.engine.native.feed import AS_USUAL, Fed, RunOptions, all_counted, counted, make_nodes_ready
from vestigo.engine.native.sheets import SheetReader, counts_of_slices
from vestigo.engine.parts import Share, finest, shares
from vestigo.outcome import Measures, Slices
from vestigo.outcome.measures import Fields
from vestigo.outcome.summary import Summary
from vestigo.prepared.batches import make_ready
from vestigo.prepared.memory import is_long
from vestigo.progress import Progress
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace


@dataclass(frozen=True, eq=False)
class PartCounted:
    """What a part of a job on a trace counted."""

    share: Share
    counted: kernel.Counted
    reader: SheetReader

    @property
    def numbers(self) -> list[int]:
        """The trace's number of each of its look-ups."""
        return list(self.share.part.lookups) or [0]

    @property
    def bytes(self) -> int:
        return self.counted.bytes

    @cached_property
    def summaries(self) -> dict[str, Summary]:
        """What is kept of each of its look-ups, if it has them on all nodes."""
        sheet = kernel.sum([self.counted], [list(range(len(self.numbers)))], len(self.numbers), 0)["lookups"]
        measures = self.reader.lookups(sheet, self.share.part.lookups)
        return {name: Summary.of(one) for name, one in measures.items()}


def run(
    trace: Trace, job: Job, known: KnownParts | None = None, options: RunOptions = AS_USUAL
) -> tuple[Fields, dict[str, Measures], Slices]:
    """The measures of all look-ups together, of each look-up, and of each slice of time. Parts that are known are not
    replayed. The measures do not depend on the `options`. Raises GivenUp if told to stop.
    """
    if len(trace) == 0:
        from vestigo.engine.reference.run import run as reference_run

        return reference_run(trace, job)
    parts, reader = shares(trace, job, options.cut or finest(job)), SheetReader(trace, job)
    if known is None or is_long(len(trace)):
        found = all_counted(trace, job, parts, options)
        of_parts = [PartCounted(*each, reader) for each in zip(parts, found, strict=True)]
    else:
        of_parts = _known(trace, job, parts, known)
    sheets = _summed(trace, of_parts)
    lookups = reader.lookups(sheets["lookups"], range(len(trace.lookups)))
    slices = reader.slices(sheets["slices"], sheets["begins"].tolist(), sheets["ends"].tolist())
    return reader.total(sheets["total"]), lookups, Slices(slices)


class Halves(NamedTuple):
    """What is kept of a replay where there are many."""

    whole: Measures
    first: Measures
    """Of the slices before a certain one."""
    rest: Measures
    """Of the other slices, at least the last."""
    lookups: dict[str, Summary]
    counts: dict[str, list[int]]
    """Of each slice."""


def run_in_halves(trace: Trace, job: Job, split_ns: int, names: Iterable[str]) -> Halves:
    """Like `run`, but in place of each slice it tells of the slices that begin before `split_ns`, and of the others. Of
    each slice it has the counts with these `names`.
    """
    until = _slices_before(split_ns, job)
    of_parts = _known(trace, job, shares(trace, job), known_parts(trace), until)
    sheets, reader = _summed(trace, of_parts, until), SheetReader(trace, job)
    begins, ends = sheets["begins"], sheets["ends"]
    split = min(until, len(begins))
    halves = slice(0, split), slice(min(split, len(begins) - 1), len(begins))
    spans = [int((ends[half] - begins[half]).sum()) for half in halves]
    first, rest = reader.stretches(sheets["slices"], spans, halves)
    by_name = {name: summary for of_part in of_parts for name, summary in of_part.summaries.items()}
    lookups = {name: by_name[name] for name in trace.lookups}
    return Halves(
        Measures(**reader.total(sheets["total"])), first, rest, lookups, counts_of_slices(sheets["counts"], names)
    )


def count_parts(trace: Trace, jobs: Iterable[Job], split_ns: int, progress: Progress) -> None:
    """Replays what `run_in_halves` will ask for of several jobs, each part once and the largest first, as long as there
    is room to keep them.
    """
    asked: dict[Hashable, tuple[Job, Share]] = {}
    for job in jobs:
        parts = shares(trace, job)
        if len(parts) > 1:
            make_ready(trace, job.assumed, [share.part for share in parts])
            asked |= {share.depends_on(trace, job): (job, share) for share in parts}
    in_order = sorted(asked.values(), key=lambda each: -each[1].rows)
    known, done = known_parts(trace), count(1)

    def replay(job: Job, share: Share) -> None:
        check()
        if known.has_room:
            _known_part(trace, job, share, known, _slices_before(split_ns, job))
            progress("parts", next(done), len(in_order))

    each_side_by_side(lambda each: replay(*each), in_order)


def _known(
    trace: Trace, job: Job, parts: Sequence[Share], known: KnownParts, until: int | None = None
) -> list[PartCounted]:
    """What each part counted. Those that are not known are replayed."""
    make_nodes_ready(trace, job, parts)
    return each_side_by_side(lambda share: _known_part(trace, job, share, known, until), parts)


def _known_part(trace: Trace, job: Job, share: Share, known: KnownParts, until: int | None) -> PartCounted:
    def make() -> PartCounted:
        found = counted(Fed(trace, job, share), not share.part.is_whole(trace))
        if until is not None:
            found.join_slices(until)
        return PartCounted(share, found, SheetReader(trace, job))

    return known.get((share.depends_on(trace, job), until), make)


def _slices_before(split_ns: int, job: Job) -> int:
    """The number of slices that begin before a moment, at least one."""
    return max(-(-(split_ns - job.slicing.origin_ns) // job.slicing.width_ns), 1)


def _summed(trace: Trace, of_parts: Sequence[PartCounted], until: int | None = None) -> dict[str, Any]:
    """Sheets by what they are of, and when each slice begins and ends."""
    lookups = max(len(trace.lookups), 1)
    return kernel.sum([one.counted for one in of_parts], [one.numbers for one in of_parts], lookups, until)
