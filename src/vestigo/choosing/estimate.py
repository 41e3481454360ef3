"""``Estimate``: measures as samples of the keys tell them."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vestigo.data import Data, Told
from vestigo.measures import MEASURES
from vestigo.units import format_share


@dataclass(frozen=True, eq=False, repr=False)
class Estimate(Data):
    """Measures as samples tell them.

    `errors` are half the widths of intervals that contain the truth 9 times in 10. They are NaN for measures that
    samples cannot tell: peaks, and whatever a single sample gives.
    """

    hit_rate: float
    fresh_hit_rate: float
    stale_rate: float
    stale_hits: float
    loads: float
    memory_peak: float
    """The memory, worked out with the mean size of values if entries are limited. It ranks settings, and is not shown:
    keys that stand for many make it swing.
    """
    errors: Mapping[str, float]

    @classmethod
    def from_dict(cls, told: Told) -> "Estimate":
        """An estimate from what `to_dict` gives, or from amounts whose errors are not known."""
        amounts = {name: amount for name, amount in told.items() if name != "errors"}
        errors = told.get("errors", dict.fromkeys(amounts))
        unknown = float("nan")
        return cls(**amounts, errors={name: unknown if one is None else one for name, one in errors.items()})

    @property
    def amounts(self) -> dict[str, float]:
        """The amounts without their errors."""
        return {name: getattr(self, name) for name in self.errors}

    @property
    def told(self) -> list[str]:
        """The measures that the samples can tell."""
        return [name for name, error in self.errors.items() if not np.isnan(error)]

    def to_dict(self) -> Told:
        """The amounts, and in ``errors`` how far off each may be. None where the samples cannot tell."""
        return {**self.amounts, "errors": {name: None if np.isnan(one) else one for name, one in self.errors.items()}}

    def __repr__(self) -> str:
        parts = [
            f"{MEASURES[name].label} {format_share(getattr(self, name))} ± {format_share(self.errors[name])}"
            for name in ("hit_rate", "stale_rate")
            if name in self.told
        ]
        return f"<Estimate: {', '.join(parts) or 'too rough to tell; take a larger share of the keys'}>"
