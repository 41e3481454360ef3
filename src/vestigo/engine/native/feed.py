"""A replay of the kernel, and the batches that it is fed."""

from collections.abc import Iterator
from typing import NamedTuple

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.begin import begin, is_plain
from vestigo.engine.ready import entries_for
from vestigo.prepared.batches import batches
from vestigo.prepared.neighbours import next_reads
from vestigo.trace import Trace
from vestigo.trace.trace import Longs


class Batch(NamedTuple):
    columns: kernel.Columns
    next_reads: Longs | None
    """The row of each key's next read, for a policy that knows the future."""
    begin: int
    end: int
    """The rows of the trace that it covers."""


class Fed:
    """A job on a trace. It uses the plain replay if that knows all of its rules, unless the `full` one is asked for."""

    def __init__(self, trace: Trace, job: Job, full: bool = False) -> None:
        self.trace, self.job = trace, job
        self.is_full = len(trace.lookups) > 0 and (full or not is_plain(trace, job))
        self.entries = entries_for(trace, job.groups)

    def begin(self, watching: kernel.Watching | None = None) -> kernel.Replay:
        return begin(self.trace, self.job, self.entries, self.is_full, watching)

    def batches(self, replay: kernel.Replay, events: int | None = None) -> Iterator[Batch]:
        """The batches. Tests choose the number of events in each."""
        following = next_reads(self.trace, self.job.groups.per_lookup) if replay.foresees else None
        begun = 0
        for columns in batches(self.trace, self.job.assumed, self.entries, events):
            ended = begun + columns.events
            yield Batch(columns, None if following is None else following[begun:ended], begun, ended)
            begun = ended
