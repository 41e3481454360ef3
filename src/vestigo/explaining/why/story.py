"""What happened to a key, in time order, and what would have helped."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from vestigo.data import Data, Told
from vestigo.rules.vary import Changes
from vestigo.units import SECOND

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Step(Data):
    """Something that happened to a key, or several reads in a row that were answered alike."""

    at_ns: int
    """When it happened. For several reads, the time of the first."""
    where: str | None
    """The node or scope. For a change, the node that made it. None for rows that name none, or for all."""
    what: str
    """``hit``, ``stale hit``, ``joined``, ``failed`` (the read got no answer), ``missed``, ``reloaded`` (in the
    background), ``loaded`` (the value came in), ``written``, ``copied`` (by news of a write), ``refused``, ``null``
    (not kept), ``load failed``, ``expired``, ``evicted``, ``dropped``, ``cleared``, ``restarted``, ``superseded`` (by a
    later value), ``freed`` (with its scope), or ``changed`` (at the origin)."""
    until_ns: int
    """The time of the last, for several reads."""
    times: int = 1
    cause: str | None = None
    """For a miss, its cause. For failed reads ``down`` (the load failed), ``gave up`` or ``kept`` (a kept failure).
    For an expiry, the lifetime that ended (``aged``, ``idle``, ``fixed_time``). For a change ``write``, ``remove``, or
    ``seen`` if only a later read shows it.
    """
    span_ns: int | None = None
    """For a miss or reload, how long the load takes. For stale hits and joins, how long the oldest answer had been
    stale. For failed reads, how long the longest of them took.
    """
    waited_ns: int = 0
    """For a miss or reload, how much of that the load waited for a place at the origin."""
    since_ns: int | None = None
    """For a value that came in, when it was loaded. For one that left, its last hit, or when it came in."""
    bytes: int | None = None
    """For a value that came in or left, its size with overhead."""
    other: str | None = None
    """The key for which it was evicted, or the node whose write dropped, wrote or copied it."""
    event: int | None = None
    """For a read or a change, its row in the trace."""

    @property
    def loaded_ns(self) -> int:
        """When a value that came in was loaded or written."""
        return self.at_ns if self.since_ns is None else self.since_ns

    @property
    def idle_ns(self) -> int:
        """How long a value that left had not been used."""
        return 0 if self.since_ns is None else self.at_ns - self.since_ns

    def to_dict(self) -> Told:
        """Plain data: times in seconds since 1970, spans in seconds. What does not apply is left out."""
        spans = {"span": self.span_ns, "at": self.at_ns, "until": self.until_ns, "since": self.since_ns}
        fields: dict[str, object] = {
            "what": self.what,
            "where": self.where,
            "times": self.times,
            "cause": self.cause,
            "bytes": self.bytes,
        }
        fields |= {name: None if span is None else span / SECOND for name, span in spans.items()}
        waited = {"waited": self.waited_ns / SECOND} if self.waited_ns else {}
        fields |= {"other": self.other, "event": self.event, **waited}
        return {name: value for name, value in fields.items() if value is not None}


@dataclass(frozen=True, eq=False, repr=False)
class Stay(Data):
    """The time during which a value was held."""

    where: str | None
    begins_ns: int
    ends_ns: int
    stale_from_ns: int | None
    """When the key first changed after the value was loaded, if the value was held then or later."""
    expired_from_ns: int | None = None
    """When its absolute or sliding lifetime ended, if it was held longer. An expired value stays until it is touched,
    evicted or collected.
    """


@dataclass(frozen=True, eq=False, repr=False)
class Advice(Data):
    """A change of a rule, and what a replay with it gives."""

    changes: Changes
    """The changes by dotted key, as in ``[vary]``."""
    today: Mapping[str, str]
    """Today's values of these rules, as a plan file writes them."""
    cause: str
    """The cause of misses that it reduces, or ``stale``."""
    hits: int
    """How many more reads of the key would be hits."""
    stale_hits: int
    """How many more reads of the key would be stale hits."""
    lookup_hits: int
    """The same for the whole look-up."""
    lookup_stale_hits: int
    lookup_memory: tuple[float, float]
    """The mean bytes that the look-up holds, today and with the change."""

    @property
    def fresh_hits(self) -> int:
        """How many more reads of the key would get the true value."""
        return self.hits - self.stale_hits

    @property
    def in_words(self) -> str:
        """The change as a plan file has it."""
        return ", ".join(f"{key.rpartition('.')[2]} = {_toml(value)}" for key, value in self.changes.items())

    @property
    def options(self) -> list[str]:
        """The change as the command line takes it, word by word."""
        return [word for key, value in self.changes.items() for word in ("--rules", f"{key}={_plain(value)}")]

    def to_dict(self) -> Told:
        names = ("cause", "hits", "stale_hits", "lookup_hits", "lookup_stale_hits")
        memory = dict(zip(("today", "then"), self.lookup_memory, strict=True))
        changes = {"changes": dict(self.changes), "today": dict(self.today)}
        return changes | {name: getattr(self, name) for name in names} | {"lookup_memory": memory}


def _plain(value: object) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _toml(value: object) -> str:
    return _plain(value) if isinstance(value, int) else f'"{value}"'


@dataclass(frozen=True, eq=False, repr=False)
class Story(Data):
    """The life of an entry, or its lives on several nodes. `why` returns it."""

    lookup: str
    key: str
    steps: Sequence[Step]
    """The steps in time order, including those of the warm-up."""
    stays: Sequence[Stay]
    total: Told
    """The counts of the key, named as in `key_by_key`, and `held_ns`: how long values of it were held at all `places`
    (nodes or scopes) together.
    """
    gap_ns: int | None
    """The median time between two reads at one place."""
    advice: Sequence[Advice]
    counted_from_ns: int
    begins_ns: int
    ends_ns: int
    """The times of the trace's first and last event."""
    read: str | None = None
    """A sentence about the read that was asked for."""
    read_at_ns: int | None = None

    def __repr__(self) -> str:
        return f"<Story of {self.lookup} {self.key}: {self.total['reads']:,} reads, {len(self.steps):,} steps>"

    def to_dict(self) -> Told:
        """Plain data: times in seconds since 1970, spans in seconds."""
        told = {"lookup": self.lookup, "key": self.key, "total": dict(self.total), "read": self.read}
        steps, advice = ([one.to_dict() for one in each] for each in (self.steps, self.advice))
        return told | {"advice": advice, "steps": steps}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each step."""
        import pandas as pd

        frame = pd.DataFrame([one.to_dict() for one in self.steps])
        for name in ("at", "until", "since"):
            if name in frame:
                frame[name] = pd.to_datetime([getattr(one, f"{name}_ns") for one in self.steps], utc=True)
        return frame
