"""Runs the kernel: the parts of a job are replayed side by side, and summed up."""

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import count
from typing import Any, NamedTuple

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.known_parts import KnownParts, has_room, known_parts
from vestigo.engine.native.feed import AS_USUAL, Fed, RunOptions, all_counted, counted, make_nodes_ready
from vestigo.engine.native.sheets import SheetReader, counts_of_slices, slices_before
from vestigo.engine.parts import Share, finest, shares
from vestigo.outcome import Measures, Slices
from vestigo.outcome.measures import Fields
from vestigo.outcome.summary import Summary
from vestigo.prepared.batches import are_made_anew, kept_as, make_ready
from vestigo.prepared.memory import is_long
from vestigo.progress import Progress
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace


@dataclass(frozen=True, eq=False)
class PartCounted:
    """What a part of a job counted."""

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
    job: Job, known: KnownParts | None = None, options: RunOptions = AS_USUAL
) -> tuple[Fields, dict[str, Measures], Slices]:
    """The measures of all look-ups together, of each look-up, and of each slice of time. Parts that are known are not
    replayed. The measures do not depend on the `options`. Raises GivenUp if told to stop.
    """
    trace = job.trace
    if len(trace) == 0:
        from vestigo.engine.reference.run import run as reference_run

        return reference_run(job)
    parts, reader = shares(job, options.cut or finest(job)), SheetReader(job)
    if known is None or is_long(len(trace)):
        found = all_counted(job, parts, options)
        of_parts = [PartCounted(*each, reader) for each in zip(parts, found, strict=True)]
    else:
        of_parts = _known(job, parts, known)
    sheets = _summed(trace, of_parts)
    lookups = reader.lookups(sheets["lookups"], range(len(trace.lookups)))
    slices = reader.slices(sheets["slices"], sheets["begins"].tolist(), sheets["ends"].tolist())
    return reader.total(sheets["total"]), lookups, Slices(slices)


class _Asked(NamedTuple):
    """A part of a job that is to be replayed."""

    job: Job
    share: Share
    until: int | None
    """The slices before this one are told as one, and the others as one. None: each is told."""

    @property
    def name(self) -> Hashable:
        return self.share.depends_on(self.job), self.until

    @property
    def rows(self) -> Hashable:
        """What parts have in common that are fed the same batches, as long as these are made anew each time."""
        rows = kept_as(self.job.assumed, self.share.part)
        return rows if are_made_anew(self.job.trace, rows) else self.name

    @property
    def fed(self) -> Fed:
        return Fed(self.job, self.share, until=self.until)

    def counts(self, counted: kernel.Counted) -> PartCounted:
        return PartCounted(self.share, counted, SheetReader(self.job))


_MOST_TOGETHER = 4
"""How many parts are replayed at the same time by one thread. Each takes memory for its entries."""


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


def run_in_halves(job: Job, split_ns: int, names: Iterable[str]) -> Halves:
    """Like `run`, but in place of each slice it tells of the slices that begin before `split_ns`, and of the others. Of
    each slice it has the counts with these `names`.
    """
    until = slices_before(split_ns, job)
    of_parts = _known(job, shares(job), known_parts(job.trace), until)
    sheets, reader = _summed(job.trace, of_parts, until), SheetReader(job)
    first, rest = reader.halves(sheets, until)
    by_name = {name: summary for of_part in of_parts for name, summary in of_part.summaries.items()}
    lookups = {name: by_name[name] for name in job.trace.lookups}
    return Halves(
        Measures(**reader.total(sheets["total"])), first, rest, lookups, counts_of_slices(sheets["counts"], names)
    )


def count_parts(jobs: Iterable[Job], split_ns: int, progress: Progress) -> None:
    """Replays what `run_in_halves` will ask for of several jobs, as long as there is room to keep it."""
    cut = [job for job in jobs if len(shares(job)) > 1]
    for job in cut:
        make_ready(job.trace, job.assumed, [share.part for share in shares(job)])
    works, done = works_of(cut, split_ns), count(1)

    def do(work: Callable[[], None]) -> None:
        check()
        if has_room():
            work()
            progress("parts", next(done), len(works))

    each_side_by_side(do, works)


def works_of(jobs: Iterable[Job], split_ns: int | None = None) -> list[Callable[[], None]]:
    """Calls that replay the parts of several jobs, each once, so that `run` finds them, or with a `split_ns`
    `run_in_halves`. They can be called side by side; the longest is the first. Parts with the same rows are replayed
    together where their batches would have to be made for each.
    """
    distinct: dict[Hashable, _Asked] = {}
    for job in jobs:
        until = None if split_ns is None else slices_before(split_ns, job)
        asked = [_Asked(job, share, until) for share in shares(job)]
        distinct |= {(id(job.trace), one.name): one for one in asked}
    of_rows: dict[Hashable, list[_Asked]] = {}
    for one in distinct.values():
        of_rows.setdefault((id(one.job.trace), one.rows), []).append(one)
    together = [
        some[begin : begin + _MOST_TOGETHER]
        for some in of_rows.values()
        for begin in range(0, len(some), _MOST_TOGETHER)
    ]
    together.sort(key=lambda some: -sum(one.share.rows for one in some))
    return [partial(_replay, some, known_parts(some[0].job.trace)) for some in together]


def _replay(together: Sequence[_Asked], known: KnownParts) -> None:
    """Replays those that are not known."""
    missing = [one for one in together if not known.has(one.name)]
    if not missing:
        return
    feds = [one.fed for one in missing]
    keeps_course = not missing[0].share.part.is_whole(missing[0].job.trace)
    for one, found in zip(missing, counted(feds, keeps_course), strict=True):
        known.get(one.name, partial(one.counts, found))


def _known(job: Job, parts: Sequence[Share], known: KnownParts, until: int | None = None) -> list[PartCounted]:
    """What each part counted. Those that are not known are replayed."""
    make_nodes_ready(job, parts)
    asked = [_Asked(job, share, until) for share in parts]

    def get(one: _Asked) -> PartCounted:
        return known.get(one.name, lambda: one.counts(*counted([one.fed], len(parts) > 1)))

    each_side_by_side(get, [one for one in asked if not known.has(one.name)])
    return [get(one) for one in asked]


def _summed(trace: Trace, of_parts: Sequence[PartCounted], until: int | None = None) -> dict[str, Any]:
    """Sheets by what they are of, and when each slice begins and ends."""
    lookups = max(len(trace.lookups), 1)
    return kernel.sum([one.counted for one in of_parts], [one.numbers for one in of_parts], lookups, until)
