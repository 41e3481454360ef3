"""The room that look-ups share: what is held, the limits, who makes room."""

from dataclasses import dataclass

from vestigo.engine.reference.policies import POLICIES
from vestigo.engine.reference.policies.belady import Belady
from vestigo.engine.reference.policies.guarded import guarded
from vestigo.engine.reference.rows import Row
from vestigo.engine.reference.truth import Value
from vestigo.errors import RulesError
from vestigo.rules import Rules
from vestigo.rules.policy import Policy


@dataclass
class Entry:
    lookup: int
    key: int
    value: Value
    bytes: int
    loaded_at: int
    used_at: int
    stored_at: int
    ages_at: int | None
    """When its absolute lifetime ends."""
    changed_at: int | None
    """The first change of the truth after the load."""

    @property
    def last_use(self) -> int:
        return max(self.used_at, self.stored_at)


class Pool:
    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.entries: dict[int, Entry] = {}
        self.bytes = 0
        self.policy = self.new_policy()

    def new_policy(self) -> Policy:
        own = self.rules.eviction.own
        return POLICIES[self.rules.eviction.name](self.rules.room) if own is None else guarded(own, self.rules.room)

    def get(self, key: int) -> Entry | None:
        return self.entries.get(key)

    def coming(self, row: Row) -> None:
        """An event of the key happens, which a policy that knows the future is told."""
        if isinstance(self.policy, Belady):
            self.policy.coming(row.key, row.next_read)

    def accepts(self, size: int) -> bool:
        fits = self.rules.max_bytes is None or size <= self.rules.max_bytes
        return fits and not (self.rules.when_full.mode == "refuse" and self.is_full_for(size))

    def make_room(self, key: int, size: int) -> list[Entry]:
        """The entries that make way for one of that size."""
        self.policy.arriving(key, size)
        gone: list[Entry] = []
        trims = self.rules.when_full.mode == "trim" and self.is_full_for(size)
        while self.is_full_for(size) or (trims and self._holds_too_much()):
            victim = self.policy.evict()
            if victim not in self.entries:
                raise RulesError(
                    f"eviction: {self.rules.eviction.name}.evict() gave {victim!r}, which is not held; give a key "
                    "that was placed and has not left"
                )
            gone.append(self._give(victim))
        return gone

    def _holds_too_much(self) -> bool:
        """For a pool that is to be trimmed."""
        rules = self.rules
        too_many = rules.max_entries is not None and len(self.entries) > rules.when_full.stay(rules.max_entries)
        too_large = rules.max_bytes is not None and self.bytes > rules.when_full.stay(rules.max_bytes)
        return bool(self.entries) and (too_many or too_large)

    def is_full_for(self, size: int) -> bool:
        """Whether one more entry of that size would pass a limit."""
        too_many = self.rules.max_entries is not None and len(self.entries) + 1 > self.rules.max_entries
        too_large = self.rules.max_bytes is not None and self.bytes + size > self.rules.max_bytes
        return too_many or too_large

    def add(self, entry: Entry, cost: int | None, now: int) -> None:
        self.entries[entry.key] = entry
        self.bytes += entry.bytes
        self.policy.placed(entry.key, entry.bytes, cost, now)

    def hit(self, entry: Entry, now: int) -> None:
        entry.used_at = now
        self.policy.hit(entry.key, now)

    def take(self, key: int) -> Entry:
        self.policy.left(key)
        return self._give(key)

    def emptied(self) -> None:
        """A pool that was emptied begins anew."""
        past, self.policy = self.policy, self.new_policy()
        if isinstance(past, Belady) and isinstance(self.policy, Belady):
            self.policy.next_read = past.next_read  # the future is not forgotten

    def _give(self, key: int) -> Entry:
        entry = self.entries.pop(key)
        self.bytes -= entry.bytes
        return entry
