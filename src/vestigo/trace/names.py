"""The texts or numbers of ids. They are looked up when they are asked for, because there may be millions."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa

Texts = Sequence[Any]
"""Names by id, as Python has them: text, or whatever the column held."""


class Names(Texts):
    """A sequence over an Arrow array, or over some of its items."""

    def __init__(self, values: pa.Array, places: np.ndarray | None = None) -> None:
        self._values = values if places is None else values.take(pa.array(places))

    @property
    def values(self) -> pa.Array:
        return self._values

    def __len__(self) -> int:
        return len(self._values)

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Names):
            return bool(self._values.equals(other._values))
        return isinstance(other, Sequence) and list(self) == list(other)

    __hash__ = None  # type: ignore[assignment]

    def __getitem__(self, place: object) -> Any:
        found = self._values[place]
        return found.to_pylist() if isinstance(place, slice) else found.as_py()


def arrow_names(names: Sequence[Any]) -> pa.Array:
    """The names as one Arrow array."""
    return names.values if isinstance(names, Names) else pa.array(list(names))


def true_of(found: pa.Array) -> np.ndarray:
    """The places where an Arrow column of booleans is true."""
    flags: np.ndarray = found.fill_null(False).to_numpy(zero_copy_only=False)
    return flags.copy()
