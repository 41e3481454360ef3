"""Prepares a trace once, before several replays of it begin side by side."""

from collections.abc import Iterable

from vestigo.engine.job import Job
from vestigo.engine.parts import shares
from vestigo.prepared.batches import make_ready
from vestigo.trace import Trace


def prepare(trace: Trace, jobs: Iterable[Job]) -> None:
    """Makes the trace ready for those jobs that the native engine does, so that threads do not all do it at once."""
    for job in jobs:
        if len(trace) and job.engine == "native":
            make_ready(trace, job.assumed, [share.part for share in shares(trace, job)])
