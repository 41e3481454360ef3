"""The scene at Skerrow Quay: when things happen, which look-ups and keys there are, and how the days go.

Every function takes a random generator and returns NumPy columns. Times are seconds since the start.
"""

from dataclasses import dataclass

import numpy as np

DAY = 86_400
START = "2026-03-17T00:00:00"
NODES = ["quay-1", "quay-2", "quay-3", "quay-4"]

CRASH = 13.34 * 3600  # on the first day, quay-2 stops and starts again
DEPLOYMENT = DAY + 6.5 * 3600  # on the second day, before the rush, all four servers are started anew
NEW_CHARTS = DAY + 9 * 3600  # for a new edition, someone empties the tile cache by hand
GALE = DAY + 15.5 * 3600  # in the hour before, everyone looks at the weather
CRAWL = 2.25 * 3600  # every night a job reads all chart tiles, from the first to the last

BERTHS = [f"{row}{number}" for row in "ABCD" for number in range(1, 8)]
STATIONS = ["skerrow", "outer skerry", "sealgate", "kelp bank", "curlew rock", "the narrows"]
CELLS = [f"{east}/{north}" for east in range(-4, 5) for north in range(-4, 4)]
AREAS = [f"at {place}" for place in (*BERTHS, *STATIONS, "harbour", "channel", "fuel quay", "slipway")]
TILES = [
    f"{zoom}/{x}/{y}" for zoom, side in ((9, 6), (10, 12), (11, 24), (12, 64)) for x in range(side) for y in range(side)
]
KNOWN_VESSELS, UNKNOWN_VESSELS, LATE_VESSELS = 2400, 1500, 60


@dataclass(frozen=True)
class Origin:
    """How long the origin of a look-up takes (median in ms, spread of its logarithm), and the bytes of its values."""

    cost_ms: float
    cost_spread: float
    bytes_median: float
    bytes_spread: float


ORIGINS = {
    "tide": Origin(38, 0.35, 6200, 0.05),
    "berth": Origin(7, 0.5, 310, 0.15),
    "vessel": Origin(16, 0.6, 1500, 0.5),
    "weather": Origin(130, 0.45, 4100, 0.1),
    "chart": Origin(24, 0.4, 21_000, 0.6),
    "notice": Origin(5, 0.4, 420, 0.6),
}


def call_signs(rng: np.random.Generator) -> np.ndarray:
    """Made-up call signs, all different: first those known from the start, then those known later or never."""
    letters = np.array(list("ABCDEFGHJKLMNPQRSTUVWXYZ"))
    count = KNOWN_VESSELS + UNKNOWN_VESSELS
    signs = rng.permutation(24**2 * 900)[:count]
    return np.array([f"Q{letters[s // 900 // 24]}{letters[s // 900 % 24]}{100 + s % 900}" for s in signs.tolist()])


def page_times(rng: np.random.Generator, pages: int) -> np.ndarray:
    """When pages are opened: quiet nights, a morning rush, an afternoon, and sometimes a coach party."""
    hours = np.arange(0, 48, 0.1)
    of_day = hours % 24
    rate = 0.12 + 1.0 * _bump(of_day, 8.0, 0.9) + 0.55 * _bump(of_day, 11.5, 2.2) + 0.7 * _bump(of_day, 16.3, 1.8)
    rate += 0.9 * _bump(hours, GALE / 3600 - 0.6, 0.4)
    steady = rng.choice(hours, size=int(pages * 0.93), p=rate / rate.sum()) + rng.uniform(0, 0.1, int(pages * 0.93))
    parties = rng.choice(hours, size=40, p=rate / rate.sum())
    burst = rng.choice(parties, size=pages - len(steady)) + rng.exponential(1 / 60, pages - len(steady))
    return np.sort(np.clip(np.concatenate([steady, burst]), 0, 47.999)) * 3600


def _bump(hours: np.ndarray, middle: float, width: float) -> np.ndarray:
    return np.exp(-0.5 * ((hours - middle) / width) ** 2)


def pick(rng: np.random.Generator, among: int, skew: float, count: int) -> np.ndarray:
    """Indices drawn by a Zipf law. The first index is the most popular."""
    weight = 1 / np.arange(1, among + 1) ** skew
    return np.searchsorted(np.cumsum(weight) / weight.sum(), rng.random(count))


def berth_changes(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """When the status of each berth changes: about every 25 minutes by day, and seldom at night."""
    changes = {}
    for berth in BERTHS:
        times = np.cumsum(rng.exponential(1500, 150))
        by_day = (times % DAY > 5 * 3600) & (times % DAY < 21 * 3600)
        changes[berth] = times[(times < 2 * DAY) & (by_day | (rng.random(150) < 0.15))]
    return changes


def notice_changes(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """When notices are put up and taken down, in turn. Most areas have none."""
    busy = rng.choice(len(AREAS), 14, replace=False)
    return {AREAS[i]: np.sort(rng.uniform(0, 2 * DAY, rng.integers(1, 6))) for i in busy.tolist()}
