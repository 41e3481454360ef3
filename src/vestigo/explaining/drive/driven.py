"""What driving a cache gives: what it did, what the replay of the same settings says, and where the two part."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from vestigo.data import ByName, Data, Told
from vestigo.explaining.drive.costs import Costs
from vestigo.explaining.why.story import Story
from vestigo.rules import Plan
from vestigo.rules.vary import Changes

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class ReadCounts(Data):
    """The counts of some reads, as a cache answered them or as a replay does. `drive` returns it."""

    reads: int
    hits: int
    stale_hits: int
    loads: int
    """The origin calls made at these reads."""
    answer_age: Mapping[str, float | None]
    """The answer age of hits: mean, p95 and max, in seconds."""
    stale_age: Mapping[str, float | None]
    """The stale age of stale hits, in the same way."""

    TOLD = ("reads", "hits", "misses", "stale_hits", "loads", "hit_rate", "stale_rate", "answer_age", "stale_age")

    @property
    def misses(self) -> int:
        return self.reads - self.hits

    @property
    def hit_rate(self) -> float:
        return self.hits / self.reads if self.reads else 0.0

    @property
    def stale_rate(self) -> float:
        return self.stale_hits / self.reads if self.reads else 0.0


@dataclass(frozen=True, eq=False, repr=False)
class Difference(Data):
    """The first read that the cache and the replay answered differently."""

    event: int
    """Its row in the trace."""
    at_ns: int
    lookup: str
    key: str
    node: str | None
    driven: str
    """What the cache did, in words."""
    replayed: str
    """What the replay did."""
    story: Story
    """What happened to the key in the replay."""

    TOLD = ("event", "lookup", "key", "node", "driven", "replayed", "story")

    def to_dict(self) -> Told:
        return super().to_dict() | {"at": self.at_ns / 1e9}


@dataclass(frozen=True, eq=False, repr=False)
class Explanation(Data):
    """A change of the settings with which the replay answers more reads as the cache did."""

    what: str
    """What the change says about the cache, in words."""
    changes: Changes
    """The changes by dotted key, on top of those of earlier explanations."""
    alike: int
    """How many reads are answered alike with this change."""


@dataclass(frozen=True, eq=False, repr=False)
class Driven(Data):
    """A cache on a trace, beside the replay of its settings. `drive` returns it.

    Loads end at once in both, because a trace is driven one event after the other.
    """

    driven: ReadCounts
    replayed: ReadCounts
    lookups: Mapping[str, tuple[ReadCounts, ReadCounts]]
    """By look-up, the counts of the driven cache and those of the replay."""
    alike: int
    """Reads that both answered with a value of the same moment, or with a load."""
    only_driven: int
    """Hits of the cache that are not hits in the replay."""
    only_replayed: int
    """Hits in the replay that are not hits of the cache."""
    first: Difference | None
    explanations: Sequence[Explanation]
    """Changes that explain the cache better. The most important one is first, and each comes on top of those before."""
    settings: Plan
    """The settings that were replayed: as given, or as found."""
    found: Plan | None
    """The settings with all explanations, if there are any."""
    stale_known: bool
    untested: tuple[str, ...] = ()
    """Stated rules that the trace never put to the test: without them the replay answers every read in the same way."""
    stopped: str | None = None
    """Why the cache could not go on, and at which event. All counts cover the events before that."""
    notes: tuple[str, ...] = ()
    costs: Costs = field(default_factory=Costs)
    """What entries and hits took, as it was measured."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "lookups", ByName("look-up", self.lookups))

    @property
    def differ(self) -> int:
        """Reads that were answered differently."""
        return self.driven.reads - self.alike

    TOLD = (
        *("driven", "replayed", "lookups", "alike", "only_driven", "only_replayed", "first", "explanations"),
        *("settings", "found", "costs", "untested", "stopped", "notes"),
    )

    def to_dict(self) -> Told:
        both = {
            name: {"driven": driven.to_dict(), "replayed": replayed.to_dict()}
            for name, (driven, replayed) in self.lookups.items()
        }
        return super().to_dict() | {"lookups": both}

    def to_pandas(self) -> "pd.DataFrame":
        """Two rows for each look-up, and two for all: the driven cache and the replay."""
        import pandas as pd

        pairs = {**self.lookups, "all": (self.driven, self.replayed)}
        rows = {
            (name, of): one
            for name, pair in pairs.items()
            for of, one in zip(("driven", "replayed"), pair, strict=True)
        }
        index = pd.MultiIndex.from_tuples(list(rows), names=["lookup", "of"])
        return pd.json_normalize([one.to_dict() for one in rows.values()]).set_index(index)

    def __repr__(self) -> str:
        stopped = f"; stopped: {self.stopped}" if self.stopped else ""
        return f"<Driven: {self.alike:,} of {self.driven.reads:,} reads answered alike{stopped}>"
