"""What was counted in each slice of time. Kept by the measure, not by the slice: a sweep asks for few of them."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any, overload

from vestigo.outcome.measures import Measures


@dataclass(frozen=True, kw_only=True)
class Slice(Measures):
    """What was counted in one slice of time, over all look-ups."""

    begins_ns: int
    ends_ns: int


class Slices(Sequence[Slice]):
    """Slices in order of time, as a tuple of them would be; each is made when it is asked for.

    `columns` has for each field of a `Slice` a list of its values.

    >>> from vestigo import Rules, replay, synth
    >>> slices = replay(synth(reads=100, keys=10, seed=1), Rules()).slices
    >>> sum(slices.column("reads")) == sum(one.reads for one in slices) == 100
    True
    """

    def __init__(self, columns: Mapping[str, list[Any]]) -> None:
        self._columns = columns

    @classmethod
    def of(cls, slices: Iterable[Slice]) -> "Slices":
        every = list(slices)
        return cls({field.name: [getattr(one, field.name) for one in every] for field in fields(Slice)})

    def column(self, name: str) -> list[Any]:
        """The values of a field, or of ``reads``."""
        if name != "reads":
            return self._columns[name]
        answered = zip(self._columns["hits"], self._columns["joined"], self._columns["misses_by_cause"], strict=True)
        return [hits + joined + sum(misses.values()) for hits, joined, misses in answered]

    def __len__(self) -> int:
        return len(self._columns["begins_ns"])

    @overload
    def __getitem__(self, place: int) -> Slice: ...
    @overload
    def __getitem__(self, place: slice) -> "Slices": ...
    def __getitem__(self, place: int | slice) -> "Slice | Slices":
        if isinstance(place, slice):
            return Slices({name: values[place] for name, values in self._columns.items()})
        return Slice(**{name: values[place] for name, values in self._columns.items()})
