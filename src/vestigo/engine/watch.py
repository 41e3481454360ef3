"""What settings would have done to single reads and keys."""

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from vestigo.engine.changes import changes_of, together
from vestigo.engine.job import Job, job
from vestigo.engine.known_parts import known_parts
from vestigo.engine.replay import engine_of
from vestigo.engine.what_if import applied
from vestigo.outcome.keys import Keys
from vestigo.outcome.reads import Reads, reads_table
from vestigo.outcome.seen import Answers, Happening, Watching
from vestigo.outcome.table_file import write_tables
from vestigo.rules.plan import Engine
from vestigo.rules.settings import Settings, plan_of, trace_of
from vestigo.trace import Readable, Trace


def read_by_read(trace: Readable, settings: Settings, *, engine: Engine = "native") -> Reads:
    """For every read: whether it was answered, why not, how long it took, how old the answer was.

    The trace and the settings are given as `replay` takes them. It takes 17 bytes a read. For longer traces, `vestigo
    replay --reads` writes the same to a file, batch by batch.

    Raises RulesError if the settings do not fit the trace.

    >>> from vestigo import Rules, read_trace
    >>> reads = read_by_read(read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]}), Rules(max_entries=1))
    >>> reads.to_pandas()[["key", "answer", "cause"]].values.tolist()
    [['a', 'miss', 'first'], ['b', 'miss', 'first'], ['a', 'miss', 'evicted']]
    """
    on, asked = _asked(trace, settings, engine)
    return Reads(on, answers_of(asked), asked.event_of(asked.first_counted))


def key_by_key(trace: Readable, settings: Settings, *, engine: Engine = "native") -> Keys:
    """For every key: its reads and misses by cause, stale hits, its cost at the origin, and the memory that it held.

    The trace and the settings are given as `replay` takes them. Reads of the warm-up are not counted.

    Raises RulesError if the settings do not fit the trace.

    >>> from vestigo import Rules, read_trace
    >>> keys = key_by_key(read_trace({"at": [0, 10, 20], "key": ["a", "b", "a"]}), Rules(max_entries=1))
    >>> keys.to_pandas()[["key", "reads", "misses", "misses.evicted"]].values.tolist()
    [['a', 2, 2, 1], ['b', 1, 1, 0]]
    """
    return keys_of(_asked(trace, settings, engine)[1])


def write_read_by_read(trace: Readable, settings: Settings, path: Path) -> int:
    """Writes what `read_by_read` tells to a file, without holding it all in memory, and returns the number of reads.

    Raises RulesError, and InputError if the file cannot be written.
    """
    on, asked = _asked(trace, settings)
    first = asked.event_of(asked.first_counted)
    tables = (reads_table(on.block(begin, end), answers, first, begin) for begin, end, answers in _by_batch(asked))
    return write_tables(tables, path)


def _by_batch(asked: Job) -> Iterator[tuple[int, int, Answers]]:
    """The recorded events of each batch, and the answers of its reads."""
    for begin, end, answers in engine_of(asked).answers_by_batch(asked):
        first, last = asked.event_of(begin), asked.event_of(end)
        if asked.recorded is not None:
            answers = answers.of_rows(asked.recorded[first:last] - begin)  # noqa: PLW2901
        yield first, last, answers


def answers_of(asked: Job) -> Answers:
    """The answers of all reads, with a place for each recorded event."""
    answers = engine_of(asked).watch(asked, Watching(reads=True), known_parts(asked.trace)).answers
    assert answers is not None
    return answers if asked.recorded is None else answers.of_rows(asked.recorded)


def answer_of(asked: Job, event: int) -> Answers:
    """The answer of a single read, by its recorded event."""
    for begin, end, answers in _by_batch(asked):
        if event < end:
            return answers.part(event - begin, event - begin + 1)
    raise IndexError(event)


def keys_of(asked: Job, lookup: int | None = None) -> Keys:
    """What is counted of each key, or only of the keys of one look-up."""
    watching = Watching(keys=True, of_lookup=lookup)
    counted = engine_of(asked).watch(asked, watching, known_parts(asked.trace)).keys
    assert counted is not None
    return Keys(asked.trace, counted, together(changes_of(asked.trace)) != "nowhere")


def log_of(asked: Job, key: int) -> Sequence[Happening]:
    """What happened to a key, by its id. Rows are recorded events, and -1 for a preload that a rule asks for."""
    log = engine_of(asked).watch(asked, Watching(chosen=(key,)), known_parts(asked.trace)).happenings
    recorded = asked.recorded
    if recorded is None:
        return log
    events = np.full(len(asked.trace), -1)
    events[recorded] = np.arange(len(recorded))
    return [one._replace(row=int(events[one.row])) for one in log]


def _asked(trace: Readable, settings: Settings, engine: Engine = "native") -> tuple[Trace, Job]:
    stated = plan_of(settings, engine)
    on, plan = applied(trace_of(trace, stated), stated)
    return on, job(on, plan)
