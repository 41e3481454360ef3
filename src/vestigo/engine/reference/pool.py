"""The entries of one compartment, their limits and policy; and the compartments of each pool."""

from collections import Counter, defaultdict
from dataclasses import dataclass
from typing import NamedTuple

from vestigo.engine.groups import Group, Groups
from vestigo.engine.reference.policies import POLICIES
from vestigo.engine.reference.policies.guarded import guarded
from vestigo.engine.reference.policies.ranked import Belady
from vestigo.engine.reference.rows import Row, Value
from vestigo.errors import RulesError
from vestigo.rules import PoolRules
from vestigo.rules.policy import Policy
from vestigo.trace import Op


@dataclass(eq=False)
class Entry:
    group: Group
    key: int
    value: Value
    bytes: int
    loaded_at: int
    lives_from: int
    """When its lifetimes begin."""
    used_at: int
    stored_at: int
    ages_at: int | None
    """When the entry's absolute lifetime ends."""
    fixed_at: int | None
    """The first fixed time after its lifetimes began."""
    changed_at: int | None
    """The first change of the truth after the load."""
    last_use: int
    """Its last hit, or when it was stored."""


@dataclass(eq=False)
class Load:
    """A load under way, or a written value on its way to another node."""

    ends_at: int
    order: int
    """The order among loads that end at the same moment."""
    row: Row
    value: Value
    pool: "Pool"
    fails: bool = False
    """Whether it brings nothing, because the origin is away."""
    changed_at: int | None = None
    """The first change of the truth since the load began."""
    raced: bool = False
    """Whether a drop arrived since the load began."""
    given_up: bool = False


class Exit(NamedTuple):
    """How an entry leaves."""

    cause: str
    """The cause of the next miss of its key."""
    counted_as: str
    """The count in which it appears, such as `evictions`."""
    at: int
    other: int = -1
    """The key for which it was evicted."""


class Absence(NamedTuple):
    """Why a key is not held."""

    cause: str
    deadline: tuple[int, str] | None = None
    """When the entry that was taken would have expired, and by which of its lifetimes."""

    def cause_at(self, now: int) -> str:
        return self.deadline[1] if self.deadline and self.deadline[0] <= now else self.cause


class Pool:
    """The pool of one compartment. `number` is its place among the compartments of its kind."""

    def __init__(self, rules: PoolRules, number: int = 0) -> None:
        self.rules = rules
        self.number = number
        self.entries: dict[int, Entry] = {}
        self.bytes = 0
        self.pinned_entries = self.pinned_bytes = 0
        self.kept = Counter[int]()
        """How many values of each key were kept."""
        self.absences: defaultdict[int, Absence] = defaultdict(lambda: Absence("first"))
        """Why a key is not there."""
        self.loads: defaultdict[int, list[Load]] = defaultdict(list)
        self.failures: dict[int, int] = {}
        """By key, until when the failure of a load is kept."""
        self.policy = self.new_policy()

    def new_policy(self) -> Policy:
        own = self.rules.eviction.own
        return POLICIES[self.rules.eviction.name](self.rules.room) if own is None else guarded(own, self.rules.room)

    def get(self, key: int) -> Entry | None:
        return self.entries.get(key)

    def knows_failure(self, key: int, now: int) -> bool:
        return now < self.failures.get(key, now)

    def is_told_of(self, key: int, now: int) -> bool:
        """Whether a load of the key is under way, or a failure is kept: no other one begins in the background."""
        return bool(self.loads[key]) or self.knows_failure(key, now)

    def coming(self, row: Row) -> None:
        """Tells a policy that knows the future that an event of the key happens."""
        if isinstance(self.policy, Belady):
            self.policy.coming(row.key, row.next_read)

    def accepts(self, size: int) -> bool:
        """Whether the value fits beside pinned entries, or beside all entries if nothing may be evicted."""
        fits = not self._passes_a_limit(self.pinned_entries + 1, self.pinned_bytes + size)
        return fits and not (self.rules.when_full.mode == "refuse" and self.is_full_for(size))

    def make_room(self, key: int, size: int, pinned: bool) -> list[Entry]:
        """Evicts entries until one of this size fits, and returns them. A policy hears nothing of pinned entries."""
        if not pinned:
            self.policy.arriving(key, size)
        gone: list[Entry] = []
        frees = self.rules.when_full.mode == "free" and self.is_full_for(size)
        while self.is_full_for(size) or (frees and self._holds_too_much()):
            victim = self.policy.evict()
            if victim not in self.entries:
                raise RulesError(
                    f"eviction: {self.rules.eviction.name}.evict() gave {victim!r}, which is not held; give a key "
                    "that was placed and has not left"
                )
            gone.append(self._give(victim))
        return gone

    def _holds_too_much(self) -> bool:
        """Whether a pool that is being trimmed still holds too much."""
        rules = self.rules
        too_many = rules.max_entries is not None and len(self.entries) > rules.when_full.stay(rules.max_entries)
        too_large = rules.max_bytes is not None and self.bytes > rules.when_full.stay(rules.max_bytes)
        return len(self.entries) > self.pinned_entries and (too_many or too_large)

    def is_full_for(self, size: int) -> bool:
        """Whether one more entry of that size would pass a limit."""
        return self._passes_a_limit(len(self.entries) + 1, self.bytes + size)

    def _passes_a_limit(self, entries: int, size: int) -> bool:
        too_many = self.rules.max_entries is not None and entries > self.rules.max_entries
        too_large = self.rules.max_bytes is not None and size > self.rules.max_bytes
        return too_many or too_large

    def add(self, entry: Entry, cost: int | None, now: int) -> None:
        self.entries[entry.key] = entry
        self.bytes += entry.bytes
        if entry.group.pinned:
            self.pinned_entries += 1
            self.pinned_bytes += entry.bytes
        else:
            self.policy.placed(entry.key, entry.bytes, cost, now)

    def hit(self, entry: Entry, now: int) -> None:
        entry.last_use = max(now, entry.last_use)
        if not entry.group.pinned:
            self.policy.hit(entry.key, now)

    def take(self, key: int) -> Entry:
        if not self.entries[key].group.pinned:
            self.policy.left(key)
        return self._give(key)

    def emptied(self) -> None:
        """Gives the policy a new generation, because everything has left."""
        past, self.policy = self.policy, self.new_policy()
        if isinstance(past, Belady) and isinstance(self.policy, Belady):
            self.policy.next_read = past.next_read  # it keeps its knowledge of the future

    def _give(self, key: int) -> Entry:
        entry = self.entries.pop(key)
        self.bytes -= entry.bytes
        if entry.group.pinned:
            self.pinned_entries -= 1
            self.pinned_bytes -= entry.bytes
        return entry


class Compartments:
    """For each pool of the plan, what its compartments hold. They are numbered by node or scope, and 0 stands for rows
    that name none.
    """

    def __init__(self, groups: Groups, nodes: int, recorded: list[Row]) -> None:
        self.rules, self.per = groups.pools, groups.per
        unnamed = nodes == 0 or any(row.node < 0 and row.op in (Op.READ, Op.PRELOAD) for row in recorded)
        there = {"all": [0], "node": [*range(1, nodes + 1), *([0] if unnamed else [])], "scope": []}
        self.pools = [
            {number: Pool(rules, number) for number in sorted(there[per])}
            for rules, per in zip(self.rules, self.per, strict=True)
        ]
        self.last_row = {row.scope: number for number, row in enumerate(recorded)}

    def of(self, pool: int, row: Row) -> Pool | None:
        """The compartment of a row. None for a write without a node, if every reader names one."""
        if self.per[pool] == "scope":
            return self.pools[pool].setdefault(row.scope + 1, Pool(self.rules[pool], row.scope + 1))
        return self.pools[pool].get(row.node + 1 if self.per[pool] == "node" else 0)

    def each(self, pool: int) -> list[Pool]:
        return list(self.pools[pool].values())

    def others(self, pool: int, row: Row) -> list[Pool]:
        """The compartments of all nodes except the row's."""
        return [one for number, one in self.pools[pool].items() if number != row.node + 1]

    def hit_by(self, pool: int, node: int) -> list[Pool]:
        """The compartments that a clear or a restart empties: that of one node if each has its own, otherwise all."""
        one_node = self.per[pool] == "node" and node >= 0
        return [one for number, one in self.pools[pool].items() if not one_node or number == node + 1]

    def over_after(self, number: int, row: Row) -> list[Pool]:
        """Removes and returns the compartments of a scope whose last row this is."""
        if self.last_row[row.scope] != number:
            return []
        gone = [
            pools.pop(row.scope + 1, None) for pools, per in zip(self.pools, self.per, strict=True) if per == "scope"
        ]
        return [pool for pool in gone if pool]
