"""The entries of one look-up: what is held, for how long it lives, who makes room."""

from collections import OrderedDict
from dataclasses import dataclass

from vestigo.engine.reference.truth import Value
from vestigo.rules import Rules


@dataclass
class Entry:
    key: int
    value: Value
    bytes: int
    loaded_at: int
    used_at: int
    stored_at: int
    changed_at: int | None
    """The first change of the truth after the load."""

    @property
    def last_use(self) -> int:
        return max(self.used_at, self.stored_at)


class Pool:
    """The entries of one look-up in the order of its policy, the next victim first."""

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.entries: OrderedDict[int, Entry] = OrderedDict()
        self.bytes = 0

    def get(self, key: int) -> Entry | None:
        return self.entries.get(key)

    def add(self, entry: Entry) -> None:
        self.entries[entry.key] = entry
        self.bytes += entry.bytes

    def take(self, key: int) -> Entry:
        entry = self.entries.pop(key)
        self.bytes -= entry.bytes
        return entry

    def hit(self, entry: Entry, now: int) -> None:
        entry.used_at = now
        if self.rules.eviction == "lru":
            self.entries.move_to_end(entry.key)

    def victim(self) -> int:
        return next(iter(self.entries))

    def is_full_for(self, size: int) -> bool:
        """Whether one more entry of that size would pass a limit."""
        too_many = self.rules.max_entries is not None and len(self.entries) + 1 > self.rules.max_entries
        too_large = self.rules.max_bytes is not None and self.bytes + size > self.rules.max_bytes
        return too_many or too_large

    def keeps(self, value: Value) -> bool:
        return not value.is_null or self.rules.nulls.mode != "skip"

    def is_too_large(self, size: int) -> bool:
        return self.rules.max_bytes is not None and size > self.rules.max_bytes

    def hides(self, entry: Entry) -> bool:
        """Whether the caller takes the entry for "not in the cache"."""
        return entry.value.is_null and self.rules.nulls.mode == "blind"

    def expiry(self, entry: Entry, now: int) -> str | None:
        """Which lifetime ended first, if one has ended: at its deadline an entry is expired."""
        absolute = self.rules.absolute
        if entry.value.is_null and self.rules.nulls.lifetime is not None:
            absolute = self.rules.nulls.lifetime
        ends = []
        if absolute is not None:
            ends.append((entry.loaded_at + absolute, 0, "aged"))
        if self.rules.sliding is not None:
            ends.append((entry.used_at + self.rules.sliding, 1, "idle"))
        if not ends or min(ends)[0] > now:
            return None
        return min(ends)[2]
