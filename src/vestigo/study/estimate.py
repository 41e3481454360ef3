"""``Estimate``: measures as samples of the keys tell them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from vestigo.data import Data
from vestigo.units import format_share


@dataclass(frozen=True, eq=False, repr=False)
class Estimate(Data):
    """Measures as samples tell them. `errors` are half the widths of intervals that contain the truth 9 times in 10."""

    hit_rate: float
    fresh_hit_rate: float
    stale_rate: float
    stale_hits: float
    loads: float
    memory_peak: float
    """The memory, worked out with the mean size of values if entries are limited."""
    errors: Mapping[str, float]

    @classmethod
    def from_dict(cls, amounts: Mapping[str, float]) -> "Estimate":
        """An estimate from amounts whose errors are not known."""
        return cls(**amounts, errors=dict.fromkeys(amounts, float("nan")))

    @property
    def amounts(self) -> dict[str, float]:
        """The amounts without their errors."""
        return {name: getattr(self, name) for name in self.errors}

    def to_dict(self) -> dict[str, Any]:
        """The amounts, and in ``errors`` how far off each may be. None if a single sample cannot tell."""
        return {**self.amounts, "errors": {name: None if np.isnan(one) else one for name, one in self.errors.items()}}

    def __repr__(self) -> str:
        def written(name: str) -> str:
            amount, error = getattr(self, name), self.errors[name]
            shown = format_share(amount)
            return shown if np.isnan(error) else f"{shown} ± {format_share(error)}"

        return f"<Estimate: hit rate {written('hit_rate')}, stale {written('stale_rate')}>"
