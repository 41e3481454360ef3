"""Runs the kernel for what it tells of single reads and keys."""

from collections.abc import Iterator

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.native.begin import entry_nodes
from vestigo.engine.native.feed import Fed
from vestigo.engine.parts import whole
from vestigo.outcome.measures import Fields
from vestigo.outcome.seen import Answers, Counted, Happenings, Seen, Watching
from vestigo.trace import Trace

_NAMES = {"what": kernel.HAPPENINGS, "why": kernel.CAUSES, "counted_as": kernel.COUNTS}


def watch(trace: Trace, job: Job, watching: Watching, batch_events: int | None = None, full: bool = False) -> Seen:
    """Like `vestigo.engine.native.run`, but it returns what `watching` asks for."""
    if len(trace) == 0:
        from vestigo.engine.reference.run import watch as reference_watch

        return reference_watch(trace, job, watching)
    fed = Fed(trace, job, whole(trace, job.groups), full)
    columns = _places(len(trace)) if watching.reads else None
    replay = fed.begin(watching=_asked(fed, watching))
    for batch in fed.batches(batch_events):
        fed.feed(replay, batch, columns and (batch.of(columns[0]), batch.of(columns[1]), batch.of(columns[2])))
    reads = columns and Answers(*columns, *replay.take_stale())
    sheets = replay.close()
    counted = _counted(len(trace.keys), **sheets["keys"]) if watching.keys else None
    return Seen(reads, counted, _happenings(fed, sheets["happenings"]))


def answers_by_batch(trace: Trace, job: Job) -> Iterator[tuple[int, int, Answers]]:
    """The rows of each batch with the answers of their reads, for traces longer than memory. There is at least one
    batch.
    """
    if len(trace) == 0:
        answers = watch(trace, job, Watching(reads=True)).answers
        assert answers is not None
        yield 0, 0, answers
        return
    fed = Fed(trace, job, whole(trace, job.groups))
    replay = fed.begin(watching=_asked(fed, Watching(reads=True)))
    for batch in fed.batches():
        told = _places(batch.columns.events)
        fed.feed(replay, batch, told)
        rows, ages = replay.take_stale()
        yield batch.begin, batch.begin + batch.columns.events, Answers(*told, rows - batch.begin, ages)


def _places(rows: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Arrays in which the kernel stores answers."""
    return np.empty(rows, np.uint8), np.empty(rows, np.int64), np.empty(rows, np.int64)


def _asked(fed: Fed, watching: Watching) -> kernel.Watching:
    request = kernel.Watching()
    request.reads, request.keys = watching.reads, watching.keys
    if watching.chosen:
        chosen = np.array(watching.chosen, np.int32)
        keys = fed.wanted.entries.keys
        request.chosen = (
            chosen if fed.is_full or keys is None else np.flatnonzero(np.isin(keys, chosen)).astype(np.int32)
        )
    return request


def _counted(keys: int, all: Fields, some: Fields) -> Counted:  # noqa: A002  # as the kernel names it
    """`all` has a value for each key. `some` has values only for the keys that it names (native/bind/witness.hpp)."""

    def of_some(values: np.ndarray) -> np.ndarray:
        column = np.zeros(keys, values.dtype)
        column[some["key"]] = values
        return column

    misses = [*all.pop("misses"), *map(of_some, some.pop("misses"))]
    counts = {name: column[:keys] for name, column in all.items()}
    counts |= {cause: column[:keys] for cause, column in zip(kernel.CAUSES, misses, strict=True)}
    counts |= {
        name: of_some(some[name]) for name in ("joined", "stale_hits", "false_nulls", "more_loads", "oldest_stale_ns")
    }
    for name in ("held", "idle"):
        counts[f"{name}_byte_ns"] = _with_rest(
            counts[f"{name}_byte_ns"], some["key"], some[f"{name}_high"], some[f"{name}_low"]
        )
    return counts


def _with_rest(sums: np.ndarray, keys: np.ndarray, high: np.ndarray, low: np.ndarray) -> np.ndarray:
    """Adds the part that did not fit in 64 bits, if there is any."""
    if not (high.any() or low.any()):
        return sums
    whole = sums.astype(object)
    whole[keys] += high.astype(object) * 2**64 + low.astype(object)
    fits = np.abs(whole.astype(float)).max() < 2**62
    return whole.astype(np.int64) if fits else whole


def _happenings(fed: Fed, columns: dict[str, np.ndarray]) -> Happenings:
    """The kernel's log as `Happenings`. The plain replay names entries where the full one names keys."""
    if not fed.is_full:
        entry, other, keys = columns["key"], columns["other"], fed.wanted.entries.keys
        nodes = entry_nodes(fed.wanted)
        columns["where"] = nodes[entry] - 1 if nodes is not None else np.full(len(entry), -1)
        if keys is not None:
            columns |= {"key": keys[entry], "other": np.where(other >= 0, keys[other], -1)}
    return Happenings(columns, _NAMES)
