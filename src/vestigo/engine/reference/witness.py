"""Notes what happens to single reads and keys."""

from collections import Counter, defaultdict
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from vestigo.engine.reference.origin import Call
from vestigo.engine.reference.pool import Entry, Exit, Load, Pool
from vestigo.engine.reference.rows import Row
from vestigo.outcome import CAUSES
from vestigo.outcome.seen import FAILED, HIT, JOINED, MISS, NO_AGE, NULL, Answers, Counted, Happening, Seen, Watching

_COUNTS = "hits joined failed stale_hits false_nulls more_loads origin_time_ns evictions kept kept_bytes".split()
_IN_A_ROW = ("hit", "stale_hit", "joined", "failed")


@dataclass
class _Key:
    """What is counted of a key."""

    counts: Counter[str] = field(default_factory=Counter)
    oldest_stale: int = 0
    stays: list[tuple[int, int, int, int]] = field(default_factory=list)
    """(bytes, stored at, last use, left at) of each entry, as in `Tally`."""


class Witness:
    def __init__(self, rows: int, keys: int, watching: Watching) -> None:
        self._watching = watching
        self._answers = [(HIT, 0, NO_AGE, NO_AGE)] * rows
        self._keys: dict[int, _Key] = defaultdict(_Key)
        self._key_count = keys
        self._begins = 0
        self._happenings: list[Happening] = []
        self._last: dict[tuple[int, int], int] = {}
        """By key and place: its last happening."""
        self._row = 0

    def open(self, number: int) -> None:
        """Begins a row of the trace."""
        self._row = number

    # Reads

    def hit(self, row: Row, pool: Pool, entry: Entry, took: int, is_stale: bool) -> None:
        stale_age = row.at - (entry.changed_at or 0) if is_stale else NO_AGE
        self._answer(HIT, entry.value.is_null, took, row.at - entry.loaded_at, stale_age)
        counts = self._keys[row.key].counts
        counts["hits"] += 1
        if is_stale:
            counts["stale_hits"] += 1
            counts["false_nulls"] += entry.value.is_null
            self._keys[row.key].oldest_stale = max(self._keys[row.key].oldest_stale, stale_age)
        self._read("stale_hit" if is_stale else "hit", row, pool, stale_age)

    def join(self, row: Row, pool: Pool, load: Load, is_stale: bool) -> None:
        stale_age = row.at - (load.changed_at or 0) if is_stale else NO_AGE
        self._answer(JOINED, load.value.is_null, load.ends_at - row.at, NO_AGE, stale_age)
        self._keys[row.key].counts["joined"] += 1
        self._read("joined", row, pool, stale_age)

    def fail(self, row: Row, pool: Pool, took: int) -> None:
        self._answer(FAILED, False, took, NO_AGE, NO_AGE)
        self._keys[row.key].counts["failed"] += 1
        self._read("failed", row, pool, took)

    def miss(self, row: Row, pool: Pool, cause: str, call: Call, is_null: bool) -> None:
        took, waited = call.ends - row.at, call.begins - row.at
        self._answer(MISS + CAUSES.index(cause), is_null, took, NO_AGE, NO_AGE)
        self._keys[row.key].counts[cause] += 1
        self._put("missed", row.key, pool, row.at, row=self._row, why=cause, span=took, waited=waited)

    def _answer(self, answer: int, is_null: bool, took: int, age: int, stale_age: int) -> None:
        self._answers[self._row] = (answer | (NULL if is_null else 0), took, age, stale_age)

    def _read(self, what: str, row: Row, pool: Pool, stale_age: int) -> None:
        self._put(what, row.key, pool, row.at, until=row.at, times=1, row=self._row, span=max(stale_age, 0))

    # Origin calls

    def call(self, row: Row, call: Call, is_miss: bool) -> None:
        """A read makes an origin call."""
        self.lengthen(row, call.takes)
        self._keys[row.key].counts["more_loads"] += not is_miss

    def share(self, row: Row, more: int, is_miss: bool) -> None:
        """A read lengthens another's call."""
        self.lengthen(row, more)
        self._keys[row.key].counts["more_loads"] -= is_miss

    def lengthen(self, row: Row, more: int) -> None:
        self._keys[row.key].counts["origin_time_ns"] += more

    def reload(self, row: Row, pool: Pool, call: Call) -> None:
        self._keys[row.key].counts["more_loads"] += 1
        self.lengthen(row, call.takes)
        told = {"span": call.ends - row.at, "waited": call.begins - row.at}
        self._put("reloaded", row.key, pool, row.at, row=self._row, **told)

    # What is held

    def kept(self, pool: Pool, entry: Entry, came: str, now: int) -> None:
        self._keep(entry)
        self._put(came, entry.key, pool, now, since=entry.loaded_at, bytes=entry.bytes)

    def left(self, pool: Pool, entry: Entry, way: Exit) -> None:
        self._stay(entry, way.at)
        self._keys[entry.key].counts["evictions"] += way.counted_as == "evictions"
        told = {"why": way.cause, "counted_as": way.counted_as, "other": way.other}
        self._put("left", entry.key, pool, way.at, since=entry.last_use, bytes=entry.bytes, **told)

    def not_kept(self, load: Load, what: str, now: int) -> None:
        self._put(what, load.row.key, load.pool, now)

    def count_from(self, now: int, held: list[Entry]) -> None:
        """The warm-up is over."""
        self._begins = now
        self._keys.clear()
        for entry in held:
            self._keep(entry)

    def stays(self, entry: Entry, now: int) -> None:
        """Ends the notes: the entries that are still held have stayed until now."""
        self._stay(entry, now)

    def _keep(self, entry: Entry) -> None:
        self._keys[entry.key].counts["kept"] += 1
        self._keys[entry.key].counts["kept_bytes"] += entry.bytes

    def _stay(self, entry: Entry, now: int) -> None:
        self._keys[entry.key].stays.append((entry.bytes, entry.stored_at, entry.last_use, now))

    def _put(self, what: str, key: int, pool: Pool, at: int, **more: Any) -> None:
        if key not in self._watching.chosen:
            return
        where = pool.number - 1
        happening = Happening(key, where, what, at, **more)
        place = self._last.get((key, where))
        last = None if place is None else self._happenings[place]
        if place is not None and last is not None and what in _IN_A_ROW and last.what == what:
            longer = last._replace(until=at, times=last.times + 1, span=max(last.span, happening.span))
            self._happenings[place] = longer
            return
        self._last[key, where] = len(self._happenings)
        self._happenings.append(happening)

    def close(self) -> Seen:
        watching = self._watching
        return Seen(
            self._read_by_read() if watching.reads else None,
            self._counted() if watching.keys else None,
            tuple(self._happenings),
        )

    def _read_by_read(self) -> Answers:
        answer, took, age, stale_age = np.array(self._answers, np.int64).reshape(-1, 4).T
        stale = np.flatnonzero(stale_age != NO_AGE)
        return Answers(answer.astype(np.uint8), took, age, stale, stale_age[stale])

    def _counted(self) -> Counted:
        every_key = [self._keys[key] for key in range(self._key_count)]
        counts = {name: np.array([one.counts[name] for one in every_key], np.int64) for name in (*_COUNTS, *CAUSES)}
        oldest = np.array([one.oldest_stale for one in every_key], np.int64)
        held = [
            sum(size * (left - max(stored, self._begins)) for size, stored, _, left in one.stays) for one in every_key
        ]
        idle = [sum(size * (left - max(used, self._begins)) for size, _, used, left in one.stays) for one in every_key]
        return counts | {
            "oldest_stale_ns": oldest,
            "held_byte_ns": np.array(held, object),
            "idle_byte_ns": np.array(idle, object),
        }
