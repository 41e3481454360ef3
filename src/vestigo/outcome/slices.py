"""What was counted in each slice of time. It is stored by measure, because a sweep asks for only a few measures."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Any, overload

from vestigo.data import Data, Told, same
from vestigo.outcome.measures import Measures
from vestigo.units import counted

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class Slice(Measures):
    """What was counted in one slice of time, over all look-ups."""

    begins_ns: int
    ends_ns: int


class Slices(Data, Sequence[Slice]):
    """Slices in order of time, like a tuple. Each slice is made when it is asked for.

    `columns` has a list of values for each field of a `Slice`.

    >>> from vestigo import Rules, replay, synth
    >>> slices = replay(synth(reads=100, keys=10, seed=1), Rules()).slices
    >>> sum(slices.column("reads")) == sum(one.reads for one in slices) == 100
    True
    """

    def __init__(self, columns: Mapping[str, list[Any]]) -> None:
        self.columns = columns

    @classmethod
    def of(cls, slices: Iterable[Slice]) -> "Slices":
        every = list(slices)
        return cls({field.name: [getattr(one, field.name) for one in every] for field in fields(Slice)})

    def column(self, name: str) -> list[Any]:
        """The values of a field, or of ``reads``."""
        if name != "reads":
            return self.columns[name]
        none = [0] * len(self)  # what an earlier version saved has no failed reads
        counted = (self.columns.get(one, none) for one in ("hits", "joined", "failed", "misses_by_cause"))
        return [
            hits + joined + failed + sum(misses.values()) for hits, joined, failed, misses in zip(*counted, strict=True)
        ]

    def to_kept(self) -> Told:
        return {"columns": self.columns}

    def to_dict(self) -> Told:
        """``slices`` has the measures of each slice, and when it begins and ends."""
        return {"slices": [{"begins_ns": one.begins_ns, "ends_ns": one.ends_ns, **one.to_dict()} for one in self]}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each slice, by the time when it begins. Nested measures have names like ``read_time.p95``."""
        import pandas as pd

        begins = pd.to_datetime(pd.Index(self.column("begins_ns"), name="begins", dtype="int64"), utc=True)
        return pd.json_normalize([one.to_dict() for one in self]).set_index(begins)

    def __eq__(self, other: object) -> bool:
        return same(self.columns, other.columns) if isinstance(other, Slices) else NotImplemented

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"<Slices: {counted(len(self), 'slice')} of {sum(self.column('reads')):,} reads>"

    def __len__(self) -> int:
        return len(self.columns["begins_ns"])

    @overload
    def __getitem__(self, place: int) -> Slice: ...
    @overload
    def __getitem__(self, place: slice) -> "Slices": ...
    def __getitem__(self, place: int | slice) -> "Slice | Slices":
        if isinstance(place, slice):
            return Slices({name: values[place] for name, values in self.columns.items()})
        return Slice(**{name: values[place] for name, values in self.columns.items()})


def together(slices: Slices) -> Measures:
    """The measures of slices that follow each other. There must be at least one.

    A minute that lies in two slices counts with the larger part of its calls.
    """
    joined = {one.name: one.metadata.get("joined", sum)(slices.column(one.name)) for one in fields(Measures)}
    return Measures(**joined)
