"""Replays a trace from its first event to its last."""

from collections import defaultdict
from collections.abc import Iterator

from vestigo.engine.job import Job
from vestigo.engine.reference.rows import Row, Truth, fill, foresee, rows
from vestigo.engine.reference.steps import Replay
from vestigo.outcome import Measures, Slices
from vestigo.outcome.measures import Fields
from vestigo.outcome.seen import Answers, Seen, Watching
from vestigo.trace.trace import LAST_VALUED

Measured = tuple[Fields, dict[str, Measures], Slices]
"""The measures of all look-ups together, of each, and of each slice of time."""


def run(job: Job, known: object = None) -> Measured:  # noqa: ARG001  # it replays all
    measured, _ = _replayed(job, Watching())
    return measured


def watch(job: Job, watching: Watching, known: object = None) -> Seen:  # noqa: ARG001
    """What a replay tells of single reads and keys."""
    _, seen = _replayed(job, watching)
    return seen


def answers_by_batch(job: Job) -> Iterator[tuple[int, int, Answers]]:
    """The answers of all rows, as a single batch."""
    answers = watch(job, Watching(reads=True)).answers
    assert answers is not None
    yield 0, len(job.trace), answers


def _replayed(job: Job, watching: Watching) -> tuple[Measured, Seen]:
    trace = job.trace
    recorded = rows(trace)
    fill(recorded, _nulls(recorded), job.assumed)
    foresee(recorded, [job.groups.per[job.groups.each[group].pool] for group in range(len(trace.lookups))])
    replay = Replay(job, recorded, watching)
    for number, row in enumerate(recorded):
        replay.catch_up(row.at)
        if number == job.first_counted:
            replay.count_from(row.at)
        replay.witness.open(number)
        replay.step(row)
        replay.end_scope(number, row)
    measured = replay.close(recorded[-1].at if recorded else 0)
    return measured, replay.witness.close()


def _nulls(recorded: list[Row]) -> list[bool]:
    """For each row, whether the truth is null."""
    truths: defaultdict[int, Truth] = defaultdict(Truth)
    nulls = []
    for row in recorded:
        if row.op <= LAST_VALUED:
            truths[row.key].learn(row)
        nulls.append(row.key >= 0 and truths[row.key].value.is_null)
    return nulls
