"""An hour at Skerrow Quay with every mistake in its keys: ``python -m vestigo.demo.odd_keys FILE``.

The keys of berths contain the request's id. Those of notices lack the reader's role. Tides and weather use the same
names. Charts and vessels are spelled in several ways. The events are always the same.
"""

import csv
import sys
from pathlib import Path

import numpy as np

from vestigo.demo import scene

SEED = 1704
READS = 300
_START = 1_773_741_600_000_000_000  # 2026-03-17T10:00:00Z
_ROLES = ["harbour master", "skipper", "visitor"]
_COLUMNS = ["at", "lookup", "key", "version", "size", "cost"]


def rows() -> list[list[object]]:
    """The names of the columns, then one list for each read in time order."""
    rng = np.random.default_rng(SEED)
    made = []
    for lookup, key_and_version in (
        ("berth", _berth),
        ("notice", _notice),
        ("tide", _place),
        ("weather", _place),
        ("chart", _chart),
        ("vessel", _vessel),
    ):
        for at in np.sort(rng.integers(0, 3600 * 10**6, READS)).tolist():
            key, version, size = key_and_version(rng)
            made.append([_START + at * 1000, lookup, key, version, size, int(rng.integers(5, 60)) * 10**6])
    return [_COLUMNS, *sorted(made, key=lambda row: row[0])]


def _berth(rng: np.random.Generator) -> tuple[str, int, int]:
    return f"{rng.choice(scene.BERTHS)}/request-{rng.integers(10**8):08}", 1, 310


def _notice(rng: np.random.Generator) -> tuple[str, int, int]:
    role = int(rng.integers(len(_ROLES)))
    return f"at {rng.choice(scene.BERTHS[:4])}", role, 400 + 50 * role


def _place(rng: np.random.Generator) -> tuple[str, int, int]:
    return str(rng.choice(scene.STATIONS)), 1, 5000


def _chart(rng: np.random.Generator) -> tuple[str, int, int]:
    tile = f"9/{rng.integers(6)}/{rng.integers(6)}"
    spelling = rng.integers(5)
    if spelling < 2:
        return f"{tile}?{'ink=dark&scale=2' if spelling else 'scale=2&ink=dark'}", 1, 21_000
    return f"{tile}{'/' if spelling == 2 else ''}", 1, 20_000


def _vessel(rng: np.random.Generator) -> tuple[str, int, int]:
    sign = f"QA{'BCD'[rng.integers(3)]}{rng.integers(100, 120)}"
    return sign.lower() if rng.random() < 0.05 else sign, 1, 1500


def write(path: Path) -> None:
    with path.open("w", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows(rows())


if __name__ == "__main__":
    write(Path(sys.argv[1]))
