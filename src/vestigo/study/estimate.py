"""``Estimate``: measures as samples of the keys tell them."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Estimate:
    """Measures as samples tell them; `errors` are half the widths of intervals that hold the truth 9 times in 10."""

    hit_rate: float
    fresh_hit_rate: float
    stale_rate: float
    stale_hits: float
    loads: float
    memory_peak: float
    """At the mean size of values, where entries are limited."""
    errors: Mapping[str, float]

    @classmethod
    def from_dict(cls, amounts: Mapping[str, float]) -> "Estimate":
        """Of amounts whose errors are not known."""
        return cls(**amounts, errors=dict.fromkeys(amounts, float("nan")))

    def to_dict(self) -> dict[str, float]:
        """The amounts alone."""
        return {name: getattr(self, name) for name in self.errors}

    def __repr__(self) -> str:
        def written(name: str) -> str:
            amount, error = getattr(self, name), self.errors[name]
            return f"{amount:.2%}" if np.isnan(error) else f"{amount:.2%} ± {error:.2%}"

        return f"<Estimate: hit rate {written('hit_rate')}, stale {written('stale_rate')}>"
