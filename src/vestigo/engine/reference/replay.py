"""One event after the other: docs/semantics.md, section 3."""

import heapq
from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any

from vestigo.engine.job import Job
from vestigo.engine.reference.ledger import Ledger
from vestigo.engine.reference.pool import Entry, Pool
from vestigo.engine.reference.rows import Row, fill, rows
from vestigo.engine.reference.truth import Truth, Value
from vestigo.outcome import Measures, Slice
from vestigo.trace import Op, Trace


@dataclass(order=True)
class Load:
    """A load under way. Loads end in the order of their ends; of a tie, the one that began first."""

    ends_at: int
    order: int
    row: Row = field(compare=False)
    value: Value = field(compare=False)
    changed_at: int | None = field(compare=False, default=None)
    raced: bool = field(compare=False, default=False)


def run(trace: Trace, job: Job) -> tuple[dict[str, Any], dict[str, Measures], tuple[Slice, ...]]:
    """The measures of all look-ups together, of each, and of each slice of time."""
    recorded = rows(trace)
    truths: defaultdict[int, Truth] = defaultdict(Truth)
    nulls = []
    for row in recorded:
        if row.op in (Op.READ, Op.WRITE, Op.REMOVE):
            truths[row.key].learn(row)
        nulls.append(row.key >= 0 and truths[row.key].value.is_null)
    fill(recorded, nulls)
    replay = Replay(job, trace.lookups)
    for number, row in enumerate(recorded):
        replay.catch_up(row.at)
        if number == job.first_counted:
            replay.ledger.count_from(row.at)
        replay.step(row)
    return replay.close(recorded[-1].at if recorded else 0)


class Replay:
    def __init__(self, job: Job, lookups: tuple[str, ...]) -> None:
        self.pools = [Pool(rules) for rules in job.rules]
        self.instant = job.instant
        self.ledger = Ledger(lookups, job.slicing)
        self.truths: defaultdict[int, Truth] = defaultdict(Truth)
        self.causes: defaultdict[int, str] = defaultdict(lambda: "first")
        self.due: list[Load] = []
        self.loads: defaultdict[int, list[Load]] = defaultdict(list)
        self.begun = 0

    def step(self, row: Row) -> None:
        if row.op == Op.CLEAR:
            self.clear(row)
        elif row.op == Op.RESTART:
            self.restart(row)
        else:
            self.learn(row)
            if row.op == Op.READ:
                self.read(row)
            else:
                self.write(row)

    def catch_up(self, now: int) -> None:
        """What falls due at or before `now` happens first."""
        while self.due and self.due[0].ends_at <= now:
            load = heapq.heappop(self.due)
            self.ledger.turn(load.ends_at)
            self.finish(load)
        self.ledger.turn(now)

    def learn(self, row: Row) -> None:
        if not self.truths[row.key].learn(row):
            return
        entry = self.pools[row.lookup].get(row.key)
        for holder in ([entry] if entry else []) + self.loads[row.key]:
            if holder.changed_at is None:
                holder.changed_at = row.at

    # Reads

    def read(self, row: Row) -> None:
        pool, truth = self.pools[row.lookup], self.truths[row.key].value
        entry = pool.get(row.key)
        if truth.is_null:
            self.ledger.count(row.lookup, "nulls_read")
        if not row.force and entry and pool.expiry(entry, row.at) is None and not pool.hides(entry):
            self.hit(row, entry, truth)
        elif self.loads[row.key] and pool.rules.overlap == "join" and not row.force:
            self.join(row, truth)
        else:
            self.miss(row, entry)

    def hit(self, row: Row, entry: Entry, truth: Value) -> None:
        pool, ledger = self.pools[row.lookup], self.ledger
        ledger.count(row.lookup, "hits")
        ledger.count(row.lookup, "bytes_hit", entry.bytes - pool.rules.entry_overhead)
        ledger.wait(row.lookup, pool.rules.hit_cost)
        if entry.value.is_null:
            ledger.count(row.lookup, "nulls_hit")
        if not entry.value.same(truth):
            assert entry.changed_at is not None
            ledger.stale_hit(row.lookup, row.at - entry.changed_at)
            if entry.value.is_null:
                ledger.count(row.lookup, "ghosts")
        pool.hit(entry, row.at)

    def join(self, row: Row, truth: Value) -> None:
        first = self.loads[row.key][0]
        self.ledger.count(row.lookup, "joined")
        self.ledger.count(row.lookup, "bytes_missed", row.size or 0)
        self.ledger.wait(row.lookup, first.ends_at - row.at)
        if not first.value.same(truth):
            self.ledger.count(row.lookup, "joined_stale")

    def miss(self, row: Row, entry: Entry | None) -> None:
        pool, cost = self.pools[row.lookup], row.cost or 0
        cause = self.causes[row.key]
        if entry:
            expired = pool.expiry(entry, row.at)
            if expired:
                self.ledger.count(row.lookup, "expirations")
                self.leave(row.lookup, row.key, expired, row.at)
            cause = expired or "null"
        if row.force:
            cause = "forced"
        if self.loads[row.key] and pool.rules.overlap == "repeat":
            cause = "loading"
        self.ledger.miss(row.lookup, cause, row.at, cost)
        self.ledger.wait(row.lookup, cost)
        self.ledger.count(row.lookup, "bytes_missed", row.size or 0)
        self.begin(row, cost)

    # Loads

    def begin(self, row: Row, cost: int) -> None:
        self.begun += 1
        load = Load(row.at + cost, self.begun, row, self.truths[row.key].value)
        if cost == 0 or self.instant:
            self.store(load, row.at)
        else:
            heapq.heappush(self.due, load)
            self.loads[row.key].append(load)

    def finish(self, load: Load) -> None:
        self.loads[load.row.key].remove(load)
        if self.store(load, load.ends_at) and load.raced:
            self.ledger.count(load.row.lookup, "raced")

    def store(self, load: Load, now: int) -> bool:
        """Keeps a value that was loaded or written if the rules allow; True if it was kept."""
        row, pool = load.row, self.pools[load.row.lookup]
        if not pool.keeps(load.value):
            if not pool.get(row.key):
                self.causes[row.key] = "null"
            return False
        if pool.get(row.key):
            self.leave(row.lookup, row.key, "refused", now)
        size = (row.size or 0) + pool.rules.entry_overhead
        if pool.is_too_large(size):
            self.ledger.count(row.lookup, "refusals")
            self.causes[row.key] = "refused"
            return False
        while pool.is_full_for(size):
            self.ledger.count(row.lookup, "evictions")
            self.leave(row.lookup, pool.victim(), "evicted", now)
        entry = Entry(row.key, load.value, size, row.at, row.at, now, load.changed_at)
        pool.add(entry)
        self.ledger.placed(row.lookup, entry)
        return True

    def leave(self, lookup: int, key: int, cause: str, now: int) -> None:
        """An entry goes; `cause` is what its key's next miss will be put down to."""
        self.ledger.left(lookup, self.pools[lookup].take(key), now)
        self.causes[key] = cause

    # Changes and bad moments

    def write(self, row: Row) -> None:
        pool, value = self.pools[row.lookup], self.truths[row.key].value
        if pool.rules.on_write == "leave":
            return
        if pool.rules.on_write == "replace" and pool.keeps(value):
            self.store(Load(row.at, 0, row, value), row.at)
            return
        for load in self.loads[row.key]:
            load.raced = True
        if pool.get(row.key):
            self.ledger.count(row.lookup, "drops")
            self.leave(row.lookup, row.key, "dropped", row.at)

    def clear(self, row: Row) -> None:
        for lookup, pool in enumerate(self.pools):
            if row.lookup in (lookup, -1):
                for key in list(pool.entries):
                    self.ledger.count(lookup, "clears")
                    self.leave(lookup, key, "cleared", row.at)

    def restart(self, row: Row) -> None:
        for load in self.due:
            self.causes[load.row.key] = "restarted"
        self.due.clear()
        self.loads.clear()
        for lookup, pool in enumerate(self.pools):
            for key in list(pool.entries):
                self.leave(lookup, key, "restarted", row.at)

    def close(self, now: int) -> tuple[dict[str, Any], dict[str, Measures], tuple[Slice, ...]]:
        """The last event was at `now`: what is still held has stayed until then."""
        for lookup, pool in enumerate(self.pools):
            for entry in pool.entries.values():
                self.ledger.stays[lookup].append((entry.bytes, entry.stored_at, entry.last_use, now))
        return self.ledger.close(now)
