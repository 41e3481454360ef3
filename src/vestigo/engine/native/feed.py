"""Replays of the kernel, and the batches that they are fed."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.begin import Wanted, begin, is_plain
from vestigo.engine.parts import Cut, Share
from vestigo.prepared.batches import Batch, batches, make_ready
from vestigo.prepared.entries import entries_of
from vestigo.prepared.neighbours import next_reads
from vestigo.stopping import check
from vestigo.threads import each_side_by_side


class RunOptions(NamedTuple):
    """How a job is run, which makes no difference to what is counted. Tests and benchmarks try all of them."""

    cut: Cut | None = None
    """By default as finely as there are cores."""
    full: bool = False
    """The full replay also where the plain one would do."""
    batch_events: int | None = None


AS_USUAL = RunOptions()
Answering = tuple[np.ndarray, np.ndarray, np.ndarray]
"""Where the kernel stores answers."""


class Fed:
    """A part of a job. It uses the plain replay if that knows all of its rules, unless the `full` one is
    asked for. With `until`, the slices before this one are told as one, and the others as one.
    """

    def __init__(self, job: Job, share: Share, full: bool = False, until: int | None = None) -> None:
        self.wanted = Wanted(job, share, entries_of(job.trace, share.part), until)
        self.is_full = len(job.trace.lookups) > 0 and (full or not is_plain(job.trace, share))

    def begin(self, keeps_course: bool = False, watching: kernel.Watching | None = None) -> kernel.Replay:
        return begin(self.wanted, self.is_full, keeps_course, watching)

    def batches(self, events: int | None = None) -> Iterator[Batch]:
        """Tests choose the number of events of the trace in each."""
        wanted = self.wanted
        return batches(wanted.trace, wanted.job.assumed, wanted.share.part, events)

    def feed(self, replay: kernel.Replay, batch: Batch, answers: Answering | None = None) -> None:
        """Feeds a batch, with the row of each key's next read for a policy that knows the future."""
        coming = None
        if replay.foresees:
            coming = batch.of(next_reads(self.wanted.trace, self.wanted.job.groups.per_lookup))
        replay.feed(batch.columns, coming, answers)


def make_nodes_ready(job: Job, parts: Sequence[Share], options: RunOptions = AS_USUAL) -> None:
    """Makes the batches of parts that are nodes of one pool, together."""
    if options.batch_events is None:
        make_ready(job.trace, job.assumed, [share.part for share in parts if share.part.node is not None])


def counted(feds: Sequence[Fed], keeps_course: bool, batch_events: int | None = None) -> list[kernel.Counted]:
    """What some parts count that have the same rows: they are replayed at the same time, batch by batch. The whole can
    be summed up from what its parts count (`kernel.sum`), if each of several has kept its course.
    """
    replays = [fed.begin(keeps_course) for fed in feds]
    for batch in feds[0].batches(batch_events):
        check()
        for fed, replay in zip(feds, replays, strict=True):
            fed.feed(replay, batch)
    return [replay.close()["counted"] for replay in replays]


def all_counted(job: Job, parts: Sequence[Share], options: RunOptions = AS_USUAL) -> list[kernel.Counted]:
    """What each part counts. They are replayed side by side. Raises GivenUp if told to stop."""
    make_nodes_ready(job, parts, options)
    feds = [Fed(job, share, options.full) for share in parts]
    return each_side_by_side(lambda fed: counted([fed], len(parts) > 1, options.batch_events)[0], feds)
