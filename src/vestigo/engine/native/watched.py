"""Runs the kernel for what it tells of single reads and keys."""

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.engine.job import Job
from vestigo.engine.known_parts import KnownParts
from vestigo.engine.native.begin import entry_nodes
from vestigo.engine.native.feed import AS_USUAL, Answering, Fed, RunOptions, make_nodes_ready
from vestigo.engine.parts import BY_POOL, Share, shares, whole
from vestigo.outcome.measures import Fields
from vestigo.outcome.seen import Answers, Counted, Happenings, Seen, Watching
from vestigo.prepared.batches import Batch, kept_as
from vestigo.prepared.memory import is_long
from vestigo.stopping import check
from vestigo.threads import each_side_by_side
from vestigo.trace import Trace
from vestigo.trace.trace import Ints, Longs

_NAMES = {"what": kernel.HAPPENINGS, "why": kernel.CAUSES, "counted_as": kernel.COUNTS}


class PartSeen(NamedTuple):
    """What the replay of a part tells: a value for each of its rows, for each of its keys, or for both."""

    rows: Longs
    """The row in the trace of each of its own. None are told without answers."""
    answers: Answers | None
    keys: Ints
    """The trace's number of each of its keys."""
    counted: Counted

    @property
    def bytes(self) -> int:
        return sum(column.nbytes for column in (self.rows, self.keys, *(self.answers or ()), *self.counted.values()))


def watch(job: Job, watching: Watching, known: KnownParts | None = None, options: RunOptions = AS_USUAL) -> Seen:
    """What `watching` asks for. Parts of which it is known are not replayed."""
    trace = job.trace
    if len(trace) == 0:
        from vestigo.engine.reference.run import watch as reference_watch

        return reference_watch(job, watching)
    parts = shares(job, options.cut or BY_POOL)
    if watching.chosen or len(parts) == 1 or is_long(len(trace)):
        return _seen_as_one(_fed(job, _home(job, watching, parts), options), watching, options.batch_events)

    def get(share: Share) -> PartSeen:
        def make() -> PartSeen:
            return _seen(_fed(job, share, options), watching, options.batch_events)

        return make() if known is None else known.get((share.depends_on(job), watching), make)

    if watching.of_lookup is not None:
        parts = [share for share in parts if watching.of_lookup in share.part.lookups]
        watching = watching._replace(of_lookup=None)  # so that what is known of a part is found again
    make_nodes_ready(job, parts, options)
    return _together(trace, each_side_by_side(get, parts))


def _fed(job: Job, share: Share, options: RunOptions = AS_USUAL) -> Fed:
    """Where an origin serves loads, only the full replay tells of reads and keys."""
    return Fed(job, share, options.full or bool(share.origins.each))


def _home(job: Job, watching: Watching, parts: Sequence[Share]) -> Share:
    """The part in which all chosen keys are, if nothing else is asked for. Otherwise the whole."""
    trace = job.trace
    lookups = {*trace.key_lookup[list(watching.chosen)].tolist()}
    alone = [share for share in parts if lookups <= {*share.part.lookups}]
    can_be_cut = alone and lookups and not (watching.reads or watching.keys or is_long(len(trace)))
    return alone[0] if can_be_cut else whole(job)


def _seen_as_one(fed: Fed, watching: Watching, batch_events: int | None) -> Seen:
    """What a replay tells of the whole, or of the story of keys in one part."""
    columns = _places(len(fed.wanted.trace)) if watching.reads else None
    replay = fed.begin(watching=_asked(fed, watching))
    numbers = []
    for batch in fed.batches(batch_events):
        check()
        fed.feed(replay, batch, columns and (batch.of(columns[0]), batch.of(columns[1]), batch.of(columns[2])))
        numbers.append(batch.numbers if watching.chosen else batch.numbers[:0])
    answers = columns and Answers(*columns, *replay.take_stale())
    sheets = replay.close()
    keys = _counted(len(fed.wanted.trace.keys), **sheets["keys"]) if watching.keys else None
    return Seen(answers, keys, _happenings(fed, sheets["happenings"], np.concatenate(numbers)))


def _seen(fed: Fed, watching: Watching, batch_events: int | None) -> PartSeen:
    """What a replay tells of a part."""
    trace, part = fed.wanted.trace, fed.wanted.share.part
    batches: Iterable[Batch] = fed.batches(batch_events)
    places = None
    if watching.reads:
        batches = list(batches)
        fed_rows = _rows_of(fed, batches)
        places = _places(len(fed_rows.numbers))
    replay, begin = fed.begin(watching=_asked(fed, watching)), 0
    for batch in batches:
        check()
        end = begin + batch.columns.events
        fed.feed(replay, batch, places and (places[0][begin:end], places[1][begin:end], places[2][begin:end]))
        begin = end
    rows, answers = np.empty(0, np.int64), None
    if places is not None:
        (stale, ages), own = replay.take_stale(), fed_rows.own
        rows = fed_rows.numbers[own]
        answers = Answers(places[0][own], places[1][own], places[2][own], fed_rows.numbers[stale], ages)
    sheets = replay.close()
    keys, counted = np.empty(0, np.int32), dict[str, np.ndarray]()
    if watching.keys:
        keys = np.flatnonzero(np.isin(trace.key_lookup, part.lookups)).astype(np.int32)
        of_all = _counted(len(trace.keys), **sheets["keys"])
        counted = {name: column[keys] for name, column in of_all.items()}
    return PartSeen(rows, answers, keys, counted)


class _Rows(NamedTuple):
    """The rows of the trace that a part is fed."""

    numbers: Longs
    own: slice | np.ndarray
    """Which of them are its own."""


def _rows_of(fed: Fed, batches: Sequence[Batch]) -> _Rows:
    """They are kept if the batches are."""
    trace, part = fed.wanted.trace, fed.wanted.share.part

    def rows() -> _Rows:
        numbers = np.concatenate([batch.numbers for batch in batches])
        is_own = np.isin(trace.lookup[numbers], part.lookups)
        first, last = int(is_own.argmax()), len(is_own) - int(is_own[::-1].argmax())
        # Most often these are all but the first and the last of the trace; then nothing needs to be copied.
        return _Rows(numbers, slice(first, last) if is_own[first:last].all() else is_own)

    are_kept = kept_as(fed.wanted.job.assumed, part) in trace.kept
    return trace.once(("rows of", part), rows) if are_kept else rows()


def _together(trace: Trace, parts: Sequence[PartSeen]) -> Seen:
    """What the whole tells, if no stories are asked for."""
    of_parts = [part.answers for part in parts if part.answers is not None]
    answers = None
    if of_parts:
        places = _places(len(trace))
        for part, own in zip(parts, of_parts, strict=True):
            for column, values in zip(places, own, strict=False):
                column[part.rows] = values
        stale, ages = (np.concatenate([own[place] for own in of_parts]) for place in (3, 4))
        order = np.argsort(stale)
        answers = Answers(*places, stale[order], ages[order])
    counted: dict[str, np.ndarray] = {}
    for name in parts[0].counted:
        kind = np.result_type(*(part.counted[name].dtype for part in parts))
        counted[name] = np.zeros(len(trace.keys), kind)
        for part in parts:
            counted[name][part.keys] = part.counted[name]
    return Seen(answers, counted or None, ())


def answers_by_batch(job: Job) -> Iterator[tuple[int, int, Answers]]:
    """The rows of each batch with the answers of their reads, for traces longer than memory. There is at least one
    batch.
    """
    if len(job.trace) == 0:
        answers = watch(job, Watching(reads=True)).answers
        assert answers is not None
        yield 0, 0, answers
        return
    fed = _fed(job, whole(job))
    replay = fed.begin(watching=_asked(fed, Watching(reads=True)))
    for batch in fed.batches():
        told = _places(batch.columns.events)
        fed.feed(replay, batch, told)
        rows, ages = replay.take_stale()
        yield batch.begin, batch.begin + batch.columns.events, Answers(*told, rows - batch.begin, ages)


def _places(rows: int) -> Answering:
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
        name: of_some(some[name])
        for name in ("joined", "failed", "stale_hits", "false_nulls", "more_loads", "oldest_stale_ns")
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


def _happenings(fed: Fed, columns: dict[str, np.ndarray], rows: Longs) -> Happenings:
    """The kernel's log as `Happenings`. It counts the rows that it was fed, which have these numbers in the trace. The
    plain replay names entries where the full one names keys.
    """
    if len(columns["row"]):
        columns["row"] = rows[columns["row"]]
    if not fed.is_full:
        entry, other, keys = columns["key"], columns["other"], fed.wanted.entries.keys
        nodes = entry_nodes(fed.wanted)
        columns["where"] = nodes[entry] - 1 if nodes is not None else np.full(len(entry), -1)
        if keys is not None:
            columns |= {"key": keys[entry], "other": np.where(other >= 0, keys[other], -1)}
    return Happenings(columns, _NAMES)
