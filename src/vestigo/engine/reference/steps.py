"""What one event does: docs/semantics.md, section 3."""

from collections import defaultdict
from itertools import count

from vestigo.engine.groups import Group
from vestigo.engine.job import Job
from vestigo.engine.reference import lives
from vestigo.engine.reference.agenda import Kind
from vestigo.engine.reference.calls import Calls
from vestigo.engine.reference.holdings import Holdings
from vestigo.engine.reference.origin import Call, Origin, origins
from vestigo.engine.reference.pool import Absence, Entry, Exit, Load, Pool
from vestigo.engine.reference.rows import Row, Truth, Value
from vestigo.outcome.seen import Watching
from vestigo.trace import Op


class Replay(Holdings):
    def __init__(self, job: Job, recorded: list[Row], watching: Watching) -> None:
        super().__init__(job, recorded, watching)
        self.instant = job.instant
        self.truths: defaultdict[int, Truth] = defaultdict(Truth)
        self.messages: defaultdict[int, list[Load]] = defaultdict(list)
        self.origins: list[Origin] = origins(job.origins, len(job.trace.lookups))
        self.batches, self.preloads = Calls(), Calls()
        self.begun = count()

    def step(self, row: Row) -> None:
        if row.op == Op.CLEAR:
            of_lookup = [one for one, group in enumerate(self.groups) if row.lookup in (group.lookup, -1)]
            self.empty(of_lookup, row.node, Exit("cleared", "clears", row.at))
            return
        if row.op == Op.RESTART:
            self.restart(row)
            return
        if row.op == Op.READ:
            self.ledger.uncached(row.lookup, row.cost or 0)
        group = self.groups[self.key_groups[row.key]]
        pool = self.compartments.of(group.pool, row)
        if row.op == Op.DROP:
            self.take_out(row, pool)
            return
        self.learn(row, group)
        if pool and self.spares is not None:
            takes = self.spares if row.op in (Op.WRITE, Op.REMOVE) else row.cost or 0
            place = (group.pool, pool.number, row.key)
            self.reach[place] = max(self.reach.get(place, row.at), row.at + takes)
        if pool:
            pool.coming(row)
        if row.op in (Op.WRITE, Op.REMOVE):
            self.write(row, group, pool)
        elif pool and row.op == Op.READ:
            self.read(row, group, pool)
        elif pool:
            self.preload(row, group, pool)

    def catch_up(self, now: int) -> None:
        """Does what falls due at or before `now`."""
        while due := self.agenda.next(now):
            self.ledger.close_slices(due.at)
            if due.kind == Kind.CLEAR:
                self.empty([due.what, *self.agenda.also_cleared(due)], -1, Exit("cleared", "clears", due.at))
            elif due.kind == Kind.COLLECT:
                self.collect(due.what, due.at)
            elif due.kind == Kind.LOAD:
                self.finish(due.what)
            else:
                self.messages[due.what.row.key].remove(due.what)
                self.hear(due.what, due.at)
        self.ledger.close_slices(now)

    def learn(self, row: Row, group: Group) -> None:
        if not self.truths[row.key].learn(row):
            return
        holders: list[Entry | Load] = [*self.messages[row.key]]
        for pool in self.compartments.each(group.pool):
            holders += pool.loads[row.key]
            if entry := pool.get(row.key):
                holders.append(entry)
        for holder in holders:
            if holder.changed_at is None:
                holder.changed_at = row.at

    # Reads

    def read(self, row: Row, group: Group, pool: Pool) -> None:
        rules, truth, entry = group.rules, self.truths[row.key].value, pool.get(row.key)
        if truth.is_null:
            self.ledger.count(row.lookup, "nulls_read")
        forced = row.force or rules.drop_first
        if not forced and entry and not lives.hides(rules, entry) and lives.may_serve(rules, entry, row.at):
            self.hit(row, group, pool, entry)
        elif pool.loads[row.key] and rules.overlap == "join" and not forced:
            self.join(row, group, pool, entry)
        elif pool.knows_failure(row.key, row.at) and not forced:
            self.fail(row, group, pool, entry, 0)
        else:
            self.ask(row, group, pool, entry, forced)

    def hit(self, row: Row, group: Group, pool: Pool, entry: Entry) -> None:
        expired = lives.expiry(group.rules, entry, row.at) is not None
        if not expired:
            entry.used_at = row.at
        self.give(row, group, pool, entry, 0)
        if (expired or lives.reloads(group.rules, entry, row.at)) and not pool.is_told_of(row.key, row.at):
            self.load_in_background(row, group, pool)

    def give(self, row: Row, group: Group, pool: Pool, entry: Entry, after: int) -> None:
        """Answers a read with an entry, `after` it has waited so long."""
        rules, ledger, truth = group.rules, self.ledger, self.truths[row.key].value
        size = entry.bytes - rules.entry_overhead
        ledger.count(row.lookup, "hits")
        ledger.count(row.lookup, "bytes_hit", size)
        took = after + rules.hit_cost + size * rules.hit_cost_per_kib // 1024
        self.took(row, took)
        ledger.answer(row.lookup, row.at - entry.loaded_at)
        if entry.value.is_null:
            ledger.count(row.lookup, "nulls_hit")
        is_stale = not entry.value.same(truth)
        if is_stale:
            assert entry.changed_at is not None
            ledger.stale_hit(row.lookup, row.at - entry.changed_at)
            if entry.value.is_null:
                ledger.count(row.lookup, "false_nulls")
        self.witness.hit(row, pool, entry, took, is_stale)
        pool.hit(entry, row.at)

    def fail(self, row: Row, group: Group, pool: Pool, entry: Entry | None, after: int) -> None:
        """A read gets nothing from the origin, and knows that `after` so long. If there is an entry that the rules give
        in that case, it is answered with that.
        """
        if entry and lives.serves_on_failure(group.rules, entry, row.at + after):
            self.ledger.count(row.lookup, "served_on_failure")
            self.give(row, group, pool, entry, after)
            return
        took = after or group.rules.hit_cost
        self.ledger.count(row.lookup, "failed")
        self.ledger.wait(row.lookup, took)
        self.witness.fail(row, pool, took)

    def took(self, row: Row, span: int) -> None:
        """Counts how long a read took that was answered."""
        self.ledger.wait(row.lookup, span)
        if span > self.origins[row.lookup].served.slow:
            self.ledger.count(row.lookup, "slow_reads")

    def join(self, row: Row, group: Group, pool: Pool, entry: Entry | None) -> None:
        first, give_up = pool.loads[row.key][0], self.origins[row.lookup].served.give_up
        rest = first.ends_at - row.at
        if first.fails or rest > give_up:
            self.fail(row, group, pool, entry, min(rest, give_up))
            return
        self.ledger.count(row.lookup, "joined")
        self.ledger.count(row.lookup, "bytes_missed", row.size or 0)
        self.took(row, rest)
        is_stale = not first.value.same(self.truths[row.key].value)
        if is_stale:
            self.ledger.count(row.lookup, "joined_stale")
        self.witness.join(row, pool, first, is_stale)

    def ask(self, row: Row, group: Group, pool: Pool, entry: Entry | None, forced: bool) -> None:
        """A read loads its key, in a call of its own or in one that it shares. It is a miss if it gets an answer."""
        origin, more = self.origins[row.lookup], None
        if group.rules.batch and row.scope >= 0:
            who = (row.lookup, row.scope)
            call, more = self.batches.share(who, row.at, group.rules.batch, origin, row.cost or 0)
        else:
            call = origin.call(row.at, row.cost or 0)
        took = call.ends - row.at
        is_miss = not call.fails and took <= origin.served.give_up
        if not is_miss:
            if group.rules.drop_first:
                self.absence(row, group, pool, entry)
            self.fail(row, group, pool, None if forced else entry, min(took, origin.served.give_up))
        else:
            self.miss(row, group, pool, entry, call)
        if more is None:
            self.count_call(row, call)
            self.witness.call(row, call, is_miss)
        else:
            self.ledger.count(row.lookup, "batched", is_miss)
            self.ledger.lengthen(row.lookup, more)
            self.witness.share(row, more, is_miss)
        self.begin(row, group, pool, call)

    def miss(self, row: Row, group: Group, pool: Pool, entry: Entry | None, call: Call) -> None:
        cause = self.absence(row, group, pool, entry)
        self.ledger.miss(row.lookup, cause)
        self.witness.miss(row, pool, cause, call, self.truths[row.key].value.is_null)
        self.took(row, call.ends - row.at)
        self.ledger.count(row.lookup, "bytes_missed", row.size or 0)

    def absence(self, row: Row, group: Group, pool: Pool, entry: Entry | None) -> str:
        """The cause of a miss. An expired entry leaves here, and one that the caller removes before it reads."""
        rules = group.rules
        cause = pool.absences[row.key].cause_at(row.at)
        if cause == "first" and row.key in self.loaded:
            cause = "elsewhere"
        if entry:
            expired = lives.expiry(rules, entry, row.at)
            if expired:
                self.leave(pool, entry, Exit(expired, "expirations", row.at))
            elif rules.drop_first:
                self.leave(pool, entry, Exit("dropped", "drops", row.at))
            cause = expired or "null"
        if row.force or rules.drop_first:
            cause = "forced"
        if pool.loads[row.key] and rules.overlap == "repeat":
            cause = "loading"
        return cause

    # Loads

    def load_in_background(self, row: Row, group: Group, pool: Pool) -> None:
        """Begins a load that no reader waits for."""
        self.begin(row, group, pool, self.call_in_background(row, pool))

    def call_in_background(self, row: Row, pool: Pool) -> Call:
        call = self.origins[row.lookup].call(row.at, row.cost or 0)
        self.count_background(row, pool, call)
        return call

    def count_background(self, row: Row, pool: Pool, call: Call) -> None:
        self.ledger.count(row.lookup, "background_loads")
        self.count_call(row, call)
        self.witness.reload(row, pool, call)

    def count_call(self, row: Row, call: Call) -> None:
        self.ledger.load(row.lookup, row.at, call, self.origins[row.lookup].served.places > 0)

    def preload(self, row: Row, group: Group, pool: Pool) -> None:
        """Preloads a key. Preloads of one look-up, node and moment are one call."""
        who, origin = (row.lookup, row.node), self.origins[row.lookup]
        call, more = self.preloads.share(who, row.at, 1, origin, row.cost or 0)
        if more is None:
            self.count_background(row, pool, call)
        else:
            self.ledger.lengthen(row.lookup, more)
            self.witness.lengthen(row, more)
        self.begin(row, group, pool, call)

    def begin(self, row: Row, group: Group, pool: Pool, call: Call) -> None:
        if not call.fails:
            self.loaded.add(row.key)
        load = Load(call.ends, next(self.begun), row, self.truths[row.key].value, pool, call.fails)
        if call.ends == row.at or self.instant:
            self.store(load, group, row.at)
        else:
            pool.loads[row.key].append(load)
            self.agenda.add(load.ends_at, Kind.LOAD, load.order, load)

    def finish(self, load: Load) -> None:
        if load.given_up:
            return
        load.pool.loads[load.row.key].remove(load)
        group = self.groups[self.key_groups[load.row.key]]
        if load.fails:
            load.pool.failures[load.row.key] = load.ends_at + group.rules.keep_failures
            self.witness.not_kept(load, "load_failed", load.ends_at)
        elif self.store(load, group, load.ends_at) and load.raced:
            self.ledger.count(load.row.lookup, "raced")

    # Changes

    def write(self, row: Row, group: Group, pool: Pool | None) -> None:
        rules, value = group.rules, self.truths[row.key].value
        if pool and rules.on_write != "leave":
            keeps = not value.is_null or lives.keeps_nulls(rules)
            if rules.on_write == "drop" or not keeps:
                self.drop(row, pool, row.at)
            else:
                kept = self.store(Load(row.at, 0, row, value, pool), group, row.at, "written")
                if kept and rules.on_write == "replace, reload":
                    self.call_in_background(row, pool)
        if rules.tell_nodes != "nothing":
            self.tell(row, group, value)

    def drop(self, row: Row, pool: Pool, now: int) -> None:
        for load in pool.loads[row.key]:
            load.raced = True
        if entry := pool.get(row.key):
            self.leave(pool, entry, Exit("dropped", "drops", now))

    def take_out(self, row: Row, pool: Pool | None) -> None:
        """The program takes an entry out of its own cache. Ceilings keep it: a load under way could bring it back."""
        if pool and self.spares is None and (entry := pool.get(row.key)):
            self.leave(pool, entry, Exit("dropped", "drops", row.at))

    def tell(self, row: Row, group: Group, value: Value) -> None:
        """Tells the other nodes of a write, at once or later."""
        heard_at = row.at + group.rules.tell_delay
        for pool in self.compartments.others(group.pool, row):
            message = Load(heard_at, next(self.begun), row, value, pool)
            if heard_at == row.at:
                self.hear(message, row.at)
            else:
                self.messages[row.key].append(message)
                self.agenda.add(heard_at, Kind.MESSAGE, message.order, message)

    def hear(self, message: Load, now: int) -> None:
        group = self.groups[self.key_groups[message.row.key]]
        keeps = not message.value.is_null or lives.keeps_nulls(group.rules)
        if group.rules.tell_nodes == "copy" and keeps:
            self.store(message, group, now, "copied")
        else:
            self.drop(message.row, message.pool, now)

    # Bad moments

    def restart(self, row: Row) -> None:
        lost = [one for one, group in enumerate(self.groups) if not group.rules.survives_restart]
        self.empty(lost, row.node, Exit("restarted", "lost", row.at))
        for number in range(len(self.compartments.pools)):
            for pool in self.compartments.hit_by(number, row.node):
                for key in self.give_up_loads(pool):
                    pool.absences[key] = Absence("restarted")
                pool.failures.clear()

    def give_up_loads(self, pool: Pool) -> list[int]:
        """Gives up all loads under way, and returns their keys."""
        for load in (load for loads in pool.loads.values() for load in loads):
            load.given_up = True
        lost = [key for key, loads in pool.loads.items() if loads]
        pool.loads.clear()
        return lost

    def end_scope(self, number: int, row: Row) -> None:
        """Frees what a scope held, after the last row of the scope."""
        for pool in self.compartments.over_after(number, row):
            self.give_up_loads(pool)
            for entry in list(pool.entries.values()):
                self.leave(pool, entry, Exit("first", "lost", row.at))
