"""Prepares a trace once, before several replays of it begin side by side."""

from collections.abc import Iterable

from vestigo.engine.job import Job
from vestigo.engine.parts import shares
from vestigo.prepared.batches import make_ready


def prepare(jobs: Iterable[Job]) -> None:
    """Makes traces ready for those jobs that the native engine does, so that threads do not all do it at once."""
    for job in jobs:
        if len(job.trace) and job.engine == "native":
            make_ready(job.trace, job.assumed, [share.part for share in shares(job)])
