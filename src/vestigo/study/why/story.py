"""What happened to a key, in time order, and what would have helped."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from vestigo.data import Data
from vestigo.units import SECOND

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Step(Data):
    """One thing that happened to a key, or several reads in a row that were answered alike."""

    at_ns: int
    """When; of several reads, the first."""
    where: str | None
    """On which node, or in which scope; for a change, on which node it was made. None: of rows that name none, or of
    all."""
    what: str
    """``hit``, ``stale hit``, ``joined``, ``missed``, ``reloaded`` (in the background), ``loaded`` (the value came in),
    ``written``, ``copied`` (by news of a write), ``refused``, ``null`` (not kept), ``expired``, ``evicted``,
    ``dropped``, ``cleared``, ``restarted``, ``superseded`` (by a later value), ``freed`` (with its scope), or
    ``changed`` (at the origin)."""
    until_ns: int
    """Of several reads, the last."""
    times: int = 1
    cause: str | None = None
    """Of a miss, its cause; of an expiry, which lifetime ended (``aged``, ``idle``, ``clock``); of a change ``write``,
    ``remove``, or ``seen`` where only a later read shows it."""
    span_ns: int | None = None
    """Of a miss or reload: how long the load takes. Of stale hits and joins: for how long the oldest answer had been
    stale."""
    since_ns: int | None = None
    """Of a value that came in: when it was loaded. Of one that left: its last hit, or when it came in."""
    bytes: int | None = None
    """Of a value that came in or left, with its overhead."""
    other: str | None = None
    """The key that came in when it was evicted; the node whose write dropped, wrote or copied it."""
    event: int | None = None
    """The row of the trace, of a read or a change."""

    @property
    def loaded_ns(self) -> int:
        """Of a value that came in: when it was loaded, or written."""
        return self.at_ns if self.since_ns is None else self.since_ns

    @property
    def idle_ns(self) -> int:
        """Of a value that left: for how long it had not been used."""
        return 0 if self.since_ns is None else self.at_ns - self.since_ns

    def to_dict(self) -> dict[str, Any]:
        """Times in seconds since 1970 and spans in seconds; what says nothing is left out."""
        spans = {"span": self.span_ns, "at": self.at_ns, "until": self.until_ns, "since": self.since_ns}
        told: dict[str, Any] = {
            "what": self.what,
            "where": self.where,
            "times": self.times,
            "cause": self.cause,
            "bytes": self.bytes,
        }
        told |= {name: None if span is None else span / SECOND for name, span in spans.items()}
        told |= {"other": self.other, "event": self.event}
        return {name: value for name, value in told.items() if value is not None}


@dataclass(frozen=True, eq=False, repr=False)
class Stay(Data):
    """From when to when a value was held."""

    where: str | None
    begins_ns: int
    ends_ns: int
    stale_from_ns: int | None
    """When the key first changed after the value was loaded, if it was held then or later."""
    expired_from_ns: int | None = None
    """When its absolute or sliding lifetime ended, if it was held longer: what has expired stays until it is touched,
    evicted or collected."""


@dataclass(frozen=True, eq=False, repr=False)
class Advice(Data):
    """A change of one rule, and what a replay with it gives."""

    changes: Mapping[str, Any]
    """By dotted key, as ``[vary]`` has them."""
    today: Mapping[str, str]
    """What these rules say today, as a plan file writes it."""
    cause: str
    """The cause of misses that it is against, or ``stale``."""
    hits: int
    """How many more reads of the key would be hits."""
    stale_hits: int
    """How many more of them would be stale."""
    lookup_hits: int
    """The same of the whole look-up."""
    lookup_stale_hits: int
    lookup_memory: tuple[float, float]
    """The mean bytes that the look-up holds, now and then."""

    @property
    def fresh_hits(self) -> int:
        """How many more reads of the key would be given what is true."""
        return self.hits - self.stale_hits

    @property
    def in_words(self) -> str:
        """The change as a plan file has it."""
        return ", ".join(f"{key.rpartition('.')[2]} = {_toml(value)}" for key, value in self.changes.items())

    @property
    def options(self) -> list[str]:
        """The change as the command line takes it, word by word."""
        return [word for key, value in self.changes.items() for word in ("--rules", f"{key}={_plain(value)}")]

    def to_dict(self) -> dict[str, Any]:
        names = ("cause", "hits", "stale_hits", "lookup_hits", "lookup_stale_hits")
        memory = dict(zip(("today", "then"), self.lookup_memory, strict=True))
        changes = {"changes": dict(self.changes), "today": dict(self.today)}
        return changes | {name: getattr(self, name) for name in names} | {"lookup_memory": memory}


def _plain(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _toml(value: Any) -> str:
    return _plain(value) if isinstance(value, int) else f'"{value}"'


@dataclass(frozen=True, eq=False, repr=False)
class Story(Data):
    """An entry's life, or its lives on several nodes. Made by `why`."""

    lookup: str
    key: str
    steps: Sequence[Step]
    """In time order; the warm-up's are among them."""
    stays: Sequence[Stay]
    total: Mapping[str, Any]
    """What is counted of the key, as `key_by_key` names it, and `held_ns`: for how long a value of it was held, at
    all `places` (nodes or scopes) together."""
    gap_ns: int | None
    """The median time between two reads at one place."""
    advice: Sequence[Advice]
    counted_from_ns: int
    begins_ns: int
    ends_ns: int
    """The trace's first and last event."""
    read: str | None = None
    """What happened at the read that was asked for, in one sentence."""
    read_at_ns: int | None = None

    def __repr__(self) -> str:
        return f"<Story of {self.lookup} {self.key}: {self.total['reads']:,} reads, {len(self.steps):,} steps>"

    def to_dict(self) -> dict[str, Any]:
        """Times in seconds since 1970, spans in seconds."""
        told = {"lookup": self.lookup, "key": self.key, "total": dict(self.total), "read": self.read}
        steps, advice = ([one.to_dict() for one in each] for each in (self.steps, self.advice))
        return told | {"advice": advice, "steps": steps}

    def to_pandas(self) -> "pd.DataFrame":
        """One row a step."""
        import pandas as pd

        frame = pd.DataFrame([one.to_dict() for one in self.steps])
        for name in ("at", "until", "since"):
            if name in frame:
                frame[name] = pd.to_datetime([getattr(one, f"{name}_ns") for one in self.steps], utc=True)
        return frame
