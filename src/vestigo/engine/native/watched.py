"""Runs the kernel for what it tells of single reads and keys."""

from collections.abc import Iterator
from typing import Any

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.begin import entry_nodes
from vestigo.engine.native.feed import Fed
from vestigo.engine.seen import Answers, Happening, Seen, Watching
from vestigo.trace import Trace




def watch(trace: Trace, job: Job, watching: Watching, batch_events: int | None = None, full: bool = False) -> Seen:
    """As `vestigo.engine.native.run`, but for what is asked to be told."""
    if len(trace) == 0:
        from vestigo.engine.reference.replay import watch as reference_watch

        return reference_watch(trace, job, watching)
    fed = Fed(trace, job, full)
    answers = Answers.of(len(trace)) if watching.reads else None
    replay = fed.begin(_asked(fed, watching))
    for batch in fed.batches(batch_events):
        replay.feed(batch.columns, batch.next_reads, answers and tuple(answers.part(batch.begin, batch.end)))
    told = replay.close()
    counted = {name: column[: len(trace.keys)] for name, column in told["keys"].items()}
    return Seen(answers, counted if watching.keys else None, tuple(_happenings(fed, told["happenings"])))


def answers_by_batch(trace: Trace, job: Job) -> Iterator[tuple[int, Answers]]:
    """The first row of each batch, and the answers of its reads: of traces longer than memory."""
    fed = Fed(trace, job)
    replay = fed.begin(_asked(fed, Watching(reads=True)))
    for batch in fed.batches():
        answers = Answers.of(batch.end - batch.begin)
        replay.feed(batch.columns, batch.next_reads, tuple(answers))
        yield batch.begin, answers


def _asked(fed: Fed, watching: Watching) -> kernel.Watching:
    asked = kernel.Watching()
    asked.reads, asked.keys = watching.reads, watching.keys
    if watching.chosen:
        chosen = np.array(watching.chosen, np.int32)
        keys = fed.entries.keys
        asked.chosen = chosen if fed.is_full or keys is None else np.flatnonzero(np.isin(keys, chosen)).astype(np.int32)
    return asked


def _happenings(fed: Fed, rows: np.ndarray) -> Iterator[Happening]:
    """In the plain replay the kernel names entries where the full one names keys."""
    columns: dict[str, Any] = dict(zip(kernel.HAPPENING_FIELDS, rows.T, strict=True))
    if not fed.is_full:
        entry, other, keys = columns["key"], columns["other"], fed.entries.keys
        nodes = entry_nodes(fed.trace, fed.job.groups, fed.entries)
        columns["where"] = nodes[entry] - 1 if nodes is not None else np.full(len(entry), -1)
        if keys is not None:
            columns |= {"key": keys[entry], "other": np.where(other >= 0, keys[other], -1)}
    for one in zip(*(columns[name].tolist() for name in kernel.HAPPENING_FIELDS), strict=True):
        found = Happening._make(one)
        what = kernel.HAPPENINGS[int(found.what)]
        has_cause, has_count = what in ("missed", "left"), what == "left"
        yield found._replace(
            what=what,
            why=kernel.CAUSES[int(found.why)] if has_cause else "",
            count=kernel.COUNTS[int(found.count)] if has_count else "",
        )
