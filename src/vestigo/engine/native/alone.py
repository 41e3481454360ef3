"""Replays single parts of jobs, for studies that put a whole together from what its parts give."""

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.feed import Fed, counted
from vestigo.engine.native.sheets import SheetReader, slices_before
from vestigo.engine.parts import Share
from vestigo.outcome import Measures
from vestigo.outcome.alone import Alone

_MOST_STRETCHES = 2048
"""So many are told of what a part holds. A long trace has more blocks."""


def count_alone(job: Job, share: Share, split_ns: int) -> Alone:
    """What a part gives by itself: over all the time, before `split_ns`, and from there on."""
    until, reader = slices_before(split_ns, job), SheetReader(job)
    (found,) = counted([Fed(job, share, until=until)], keeps_course=True)
    numbers = list(share.part.lookups) or [0]
    sheets = kernel.sum([found], [numbers], max(len(job.trace.lookups), 1), until)
    first, rest = reader.halves(sheets, until)
    held, most = found.held()
    begins = np.linspace(0, len(most), min(len(most), _MOST_STRETCHES), endpoint=False).astype(np.int64)
    mosts = np.maximum.reduceat(most, begins)
    return Alone(Measures(**reader.total(sheets["total"])), first, rest, held[np.append(begins, len(most))], mosts)
