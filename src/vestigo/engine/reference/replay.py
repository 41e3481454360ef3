"""One event after the other: docs/semantics.md, section 3."""

import heapq
from collections import Counter, defaultdict
from dataclasses import dataclass, field
from typing import Any

from vestigo.engine.job import Job
from vestigo.engine.reference.ledger import Ledger
from vestigo.engine.reference.lives import ages_at, expiry, hides, keeps
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
    replay.start(recorded[0].at if recorded else 0)
    for number, row in enumerate(recorded):
        replay.catch_up(row.at)
        if number == job.first_counted:
            replay.ledger.count_from(row.at)
        replay.step(row)
    return replay.close(recorded[-1].at if recorded else 0)


class Replay:
    def __init__(self, job: Job, lookups: tuple[str, ...]) -> None:
        self.rules = job.rules
        self.every_pool = [Pool(rules) for rules in job.pools]
        self.pools = [self.every_pool[pool] for pool in job.pool_of]
        self.instant = job.instant
        self.ledger = Ledger(lookups, job.slicing)
        self.truths: defaultdict[int, Truth] = defaultdict(Truth)
        self.causes: defaultdict[int, str] = defaultdict(lambda: "first")
        self.due: list[Load] = []
        self.loads: defaultdict[int, list[Load]] = defaultdict(list)
        self.begun = 0
        self.kept = Counter[int]()
        self.clears: list[tuple[int, int]] = []
        """When each look-up is cleared next, by schedule."""

    def step(self, row: Row) -> None:
        if row.op == Op.CLEAR:
            self.clear(row.lookup, row.at)
        elif row.op == Op.RESTART:
            self.restart(row)
        else:
            self.learn(row)
            self.pools[row.lookup].coming(row)
            if row.op == Op.READ:
                self.read(row)
            else:
                self.write(row)

    def start(self, now: int) -> None:
        """The trace begins: schedules count from there."""
        every = [(lookup, rules.clear_every) for lookup, rules in enumerate(self.rules) if rules.clear_every]
        self.clears = [(now + span, lookup) for lookup, span in every]
        heapq.heapify(self.clears)

    def catch_up(self, now: int) -> None:
        """What falls due at or before `now` happens first; at one instant, clears before loads that end."""
        while self.clears and self.clears[0][0] <= now:
            due, lookup = self.clears[0]
            self.end_loads(due - 1)
            self.ledger.turn(due)
            self.clear(lookup, due)
            heapq.heapreplace(self.clears, (due + (self.rules[lookup].clear_every or 0), lookup))
        self.end_loads(now)
        self.ledger.turn(now)

    def end_loads(self, now: int) -> None:
        while self.due and self.due[0].ends_at <= now:
            load = heapq.heappop(self.due)
            self.ledger.turn(load.ends_at)
            self.finish(load)

    def learn(self, row: Row) -> None:
        if not self.truths[row.key].learn(row):
            return
        entry = self.pools[row.lookup].get(row.key)
        for holder in ([entry] if entry else []) + self.loads[row.key]:
            if holder.changed_at is None:
                holder.changed_at = row.at

    # Reads

    def read(self, row: Row) -> None:
        rules, truth = self.rules[row.lookup], self.truths[row.key].value
        entry = self.pools[row.lookup].get(row.key)
        if truth.is_null:
            self.ledger.count(row.lookup, "nulls_read")
        forced = row.force or rules.drop_first
        if not forced and entry and expiry(rules, entry, row.at) is None and not hides(rules, entry):
            self.hit(row, entry, truth)
        elif self.loads[row.key] and rules.overlap == "join" and not forced:
            self.join(row, truth)
        else:
            self.miss(row, entry)

    def hit(self, row: Row, entry: Entry, truth: Value) -> None:
        rules, ledger = self.rules[row.lookup], self.ledger
        ledger.count(row.lookup, "hits")
        ledger.count(row.lookup, "bytes_hit", entry.bytes - rules.entry_overhead)
        ledger.wait(row.lookup, rules.hit_cost)
        if entry.value.is_null:
            ledger.count(row.lookup, "nulls_hit")
        if not entry.value.same(truth):
            assert entry.changed_at is not None
            ledger.stale_hit(row.lookup, row.at - entry.changed_at)
            if entry.value.is_null:
                ledger.count(row.lookup, "ghosts")
        self.pools[row.lookup].hit(entry, row.at)

    def join(self, row: Row, truth: Value) -> None:
        first = self.loads[row.key][0]
        self.ledger.count(row.lookup, "joined")
        self.ledger.count(row.lookup, "bytes_missed", row.size or 0)
        self.ledger.wait(row.lookup, first.ends_at - row.at)
        if not first.value.same(truth):
            self.ledger.count(row.lookup, "joined_stale")

    def miss(self, row: Row, entry: Entry | None) -> None:
        rules, cost = self.rules[row.lookup], row.cost or 0
        cause = self.causes[row.key]
        if entry:
            expired = expiry(rules, entry, row.at)
            if expired:
                self.ledger.count(row.lookup, "expirations")
                self.leave(entry, expired, row.at)
            elif rules.drop_first:
                self.ledger.count(row.lookup, "drops")
                self.leave(entry, "dropped", row.at)
            cause = expired or "null"
        if row.force or rules.drop_first:
            cause = "forced"
        if self.loads[row.key] and rules.overlap == "repeat":
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
        row, rules, pool = load.row, self.rules[load.row.lookup], self.pools[load.row.lookup]
        held = pool.get(row.key)
        if not keeps(rules, load.value):
            if not held:
                self.causes[row.key] = "null"
            return False
        if held:
            self.leave(held, "refused", now)
        size = (row.size or 0) + rules.entry_overhead
        if not pool.accepts(size):
            self.ledger.count(row.lookup, "refusals")
            self.causes[row.key] = "refused"
            return False
        for victim in pool.make_room(row.key, size):
            self.ledger.count(victim.lookup, "evictions")
            self.gone(victim, "evicted", now)
        ages = ages_at(rules, load.value, row.at, row.key, self.kept[row.key])
        self.kept[row.key] += 1
        entry = Entry(row.lookup, row.key, load.value, size, row.at, row.at, now, ages, load.changed_at)
        pool.add(entry, row.cost or 0 if row.op == Op.READ else None, now)
        self.ledger.placed(row.lookup, entry)
        return True

    def leave(self, entry: Entry, cause: str, now: int) -> None:
        """An entry goes; `cause` is what its key's next miss will be put down to."""
        self.gone(self.pools[entry.lookup].take(entry.key), cause, now)

    def gone(self, entry: Entry, cause: str, now: int) -> None:
        self.ledger.left(entry.lookup, entry, now)
        self.causes[entry.key] = cause

    # Changes and bad moments

    def write(self, row: Row) -> None:
        rules, value = self.rules[row.lookup], self.truths[row.key].value
        if rules.on_write == "leave":
            return
        if rules.on_write == "replace" and keeps(rules, value):
            self.store(Load(row.at, 0, row, value), row.at)
            return
        for load in self.loads[row.key]:
            load.raced = True
        if entry := self.pools[row.lookup].get(row.key):
            self.ledger.count(row.lookup, "drops")
            self.leave(entry, "dropped", row.at)

    def clear(self, lookup: int, now: int) -> None:
        """Of one look-up, or, where that is -1, of all."""
        self.empty([one for one in range(len(self.rules)) if lookup in (one, -1)], "cleared", now)

    def restart(self, row: Row) -> None:
        for load in self.due:
            self.causes[load.row.key] = "restarted"
        self.due.clear()
        self.loads.clear()
        lost = [lookup for lookup, rules in enumerate(self.rules) if not rules.survives_restart]
        self.empty(lost, "restarted", row.at)

    def empty(self, lookups: list[int], cause: str, now: int) -> None:
        """All entries of these look-ups go. A pool that holds nothing else begins anew."""
        for pool in self.every_pool:
            for entry in list(pool.entries.values()):
                if entry.lookup in lookups:
                    if cause == "cleared":
                        self.ledger.count(entry.lookup, "clears")
                    self.leave(entry, cause, now)
            if {lookup for lookup, one in enumerate(self.pools) if one is pool} <= set(lookups):
                pool.emptied()

    def close(self, now: int) -> tuple[dict[str, Any], dict[str, Measures], tuple[Slice, ...]]:
        """The last event was at `now`: what is still held has stayed until then."""
        for pool in self.every_pool:
            for entry in pool.entries.values():
                self.ledger.stays[entry.lookup].append((entry.bytes, entry.stored_at, entry.last_use, now))
        return self.ledger.close(now)
