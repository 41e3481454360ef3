"""What is held: how a value comes in if the rules allow, how long it stays, and how it leaves."""

from vestigo.engine.changes import changes_of
from vestigo.engine.groups import Group
from vestigo.engine.job import Job
from vestigo.engine.reference import lives
from vestigo.engine.reference.agenda import Agenda, Kind
from vestigo.engine.reference.ledger import Ledger
from vestigo.engine.reference.lives import passes
from vestigo.engine.reference.pool import Absence, Compartments, Entry, Exit, Load, Pool
from vestigo.engine.reference.rows import Row
from vestigo.engine.reference.witness import Witness
from vestigo.outcome import Measures, Slices
from vestigo.outcome.measures import Fields
from vestigo.outcome.seen import Watching
from vestigo.trace import Op


class Holdings:
    """The entries of all compartments, and the books."""

    def __init__(self, job: Job, recorded: list[Row], watching: Watching) -> None:
        trace = job.trace
        self.groups = job.groups.each
        self.key_groups = job.groups.key_groups.tolist()
        self.groups_with_keys = set(self.key_groups)
        self.spares = job.spares
        self.reach: dict[tuple[int, int, int], int] = {}
        """Where clears spare some: when the last of what came of a key's events is there at the latest."""
        self.trace = trace
        self.start = recorded[0].at if recorded else 0
        self.ledger = Ledger(trace.lookups, job.slicing, changes_of(trace), job.origins.stated(len(trace.lookups)))
        self.witness = Witness(len(recorded), len(trace.keys), watching)
        self.compartments = Compartments(job.groups, len(trace.nodes), recorded)
        self.agenda = Agenda([(int(at), number) for number, group in enumerate(self.groups) for at in group.clears_at])
        self.loaded: set[int] = set()
        """Keys of which some compartment has begun a load, or was given a value by a write."""

    def store(self, load: Load, group: Group, now: int, came: str = "kept") -> bool:
        """Keeps a loaded or written value if the rules allow, and returns whether it did. `came` says how the value
        came.
        """
        row, rules, pool = load.row, group.rules, load.pool
        pool.failures.pop(row.key, None)
        held = pool.get(row.key)
        if load.value.is_null and not lives.keeps_nulls(rules):
            self.witness.not_kept(load, "null", now)
            if not held:
                pool.absences[row.key] = Absence("null")
            return False
        if held:
            self.leave(pool, held, Exit("refused", "superseded", now))
        size = (row.size or 0) + rules.entry_overhead
        if not passes(group, self.trace, row, load.value) or not pool.accepts(size):
            self.ledger.count(row.lookup, "refusals")
            self.witness.not_kept(load, "refused", now)
            pool.absences[row.key] = Absence("refused")
            return False
        for victim in pool.make_room(row.key, size, group.pinned):
            self.gone(pool, victim, Exit("evicted", "evictions", now, row.key))
        begins = lives.lives_from(rules, row.at, now)
        ages = lives.ages_at(rules, load.value, begins, lives.Turn(row.key, pool.number, pool.kept[row.key]))
        pool.kept[row.key] += 1
        self.loaded.add(row.key)
        fixed = lives.fixed_at(group, begins)
        entry = Entry(group, row.key, load.value, size, row.at, begins, begins, now, ages, fixed, load.changed_at, now)
        pool.add(entry, None if row.op in (Op.WRITE, Op.REMOVE) else row.cost or 0, now)
        self.ledger.placed(row.lookup, entry.bytes)
        self.witness.kept(pool, entry, came, now)
        self.watch(pool, entry, now)
        return True

    def leave(self, pool: Pool, entry: Entry, way: Exit) -> None:
        """Removes an entry, and counts that."""
        self.gone(pool, pool.take(entry.key), way)

    def gone(self, pool: Pool, entry: Entry, way: Exit) -> None:
        """Counts an entry that its pool has already removed."""
        self.ledger.count(entry.group.lookup, way.counted_as)
        self.witness.left(pool, entry, way)
        self.ledger.left(entry.group.lookup, (entry.bytes, entry.stored_at, entry.last_use, way.at))
        taken = way.cause in ("evicted", "dropped", "cleared", "restarted")
        pool.absences[entry.key] = Absence(way.cause, lives.deadline(entry.group.rules, entry) if taken else None)

    def watch(self, pool: Pool, entry: Entry, now: int) -> None:
        """Notes when the entry is to be collected, as far as that is known."""
        at = lives.collected_at(entry.group.rules, entry, self.start, now)
        if at is not None:
            self.agenda.add(at, Kind.COLLECT, (entry.key, pool.number), (pool, entry))

    def collect(self, watched: tuple[Pool, Entry], now: int) -> None:
        pool, entry = watched
        if pool.get(entry.key) is not entry:
            return
        at = lives.collected_at(entry.group.rules, entry, self.start, now)
        end = lives.deadline(entry.group.rules, entry)
        if at == now and end:
            self.leave(pool, entry, Exit(end[1], "expirations", now))
        else:
            self.watch(pool, entry, now)

    def empty(self, groups: list[int], node: int, way: Exit) -> None:
        """Removes all entries of these groups. A pool that holds nothing else begins anew."""
        for number in range(len(self.compartments.pools)):
            mine = {one for one in self.groups_with_keys if self.groups[one].pool == number}
            if not mine & set(groups):
                continue
            for pool in self.compartments.hit_by(number, node):
                for entry in sorted(pool.entries.values(), key=lambda entry: entry.key):
                    spared = (
                        self.spares is not None and self.reach.get((number, pool.number, entry.key), way.at) > way.at
                    )
                    if self.key_groups[entry.key] not in groups or (way.cause == "cleared" and spared):
                        continue
                    self.leave(pool, entry, way)
                if mine <= set(groups) and not pool.entries:
                    pool.emptied()

    def held(self) -> list[Entry]:
        pools = [pool for number in range(len(self.compartments.pools)) for pool in self.compartments.each(number)]
        return [entry for pool in pools for entry in pool.entries.values()]

    def count_from(self, now: int) -> None:
        """The warm-up is over."""
        self.ledger.count_from(now)
        self.witness.count_from(now, self.held())

    def close(self, now: int) -> tuple[Fields, dict[str, Measures], Slices]:
        """Ends the replay. What is still held has stayed until `now`, the time of the last event."""
        for entry in self.held():
            self.ledger.stays[entry.group.lookup].append((entry.bytes, entry.stored_at, entry.last_use, now))
            self.witness.stays(entry, now)
        return self.ledger.close(now)
