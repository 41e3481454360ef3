"""Two days at Skerrow Quay as a trace file: ``python -m vestigo.demo.generate FILE``. Always the same events."""

import sys
from pathlib import Path
from statistics import NormalDist

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq

from vestigo.demo import scene
from vestigo.demo.scene import DAY, ORIGINS

PAGES = 15_500
SEED = 1703

# How many reads of each look-up a page makes: the least, the most, and how skewed the choice of keys is.
_PAGES = {
    "desk": {"tide": (1, 2, 1.1), "berth": (3, 9, 0.5), "weather": (1, 4, 1.0), "notice": (1, 2, 0.6)},
    "vessel": {"vessel": (3, 8, 0.85), "berth": (1, 2, 0.5), "notice": (0, 1, 0.6)},
    "chart": {"chart": (3, 8, 1.15), "weather": (1, 2, 1.0), "tide": (0, 1, 1.1)},
}
_SHARES = [0.45, 0.35, 0.20]


def generate() -> pa.Table:
    """The trace as a table with the columns of docs/semantics.md, section 1."""
    rng = np.random.default_rng(SEED)
    signs = scene.call_signs(rng)
    keys = {"tide": scene.STATIONS, "berth": scene.BERTHS, "vessel": signs.tolist()}
    keys |= {"weather": scene.CELLS, "chart": scene.TILES, "notice": scene.AREAS}
    changes = {"berth": scene.berth_changes(rng), "notice": scene.notice_changes(rng)}
    late = rng.choice(np.arange(scene.KNOWN_VESSELS, len(signs)), scene.LATE_VESSELS, replace=False)
    registered = {
        signs[i]: np.array([t]) for i, t in zip(late, rng.uniform(0.2 * DAY, 1.9 * DAY, len(late)), strict=True)
    }
    changes["vessel"] = registered
    reads = pd.concat([_page_reads(rng, keys), _crawls(rng)], ignore_index=True)
    reads["op"] = "read"
    reads = _answers(rng, reads, changes, set(signs[: scene.KNOWN_VESSELS]))
    rows = pd.concat([reads, _writes(rng, changes), _bad_moments()], ignore_index=True)
    rows = rows.sort_values("seconds", kind="stable", ignore_index=True)
    return _table(rows)


def _page_reads(rng: np.random.Generator, keys: dict[str, list[str]]) -> pd.DataFrame:
    times = scene.page_times(rng, PAGES)
    kinds = rng.choice(len(_PAGES), PAGES, p=_SHARES)
    nodes = rng.integers(0, len(scene.NODES), PAGES)
    parts = []
    for kind, lookups in enumerate(_PAGES.values()):
        pages = np.flatnonzero(kinds == kind)
        for lookup, (least, most, skew) in lookups.items():
            page = np.repeat(pages, rng.integers(least, most + 1, len(pages)))
            chosen = _chosen(rng, lookup, len(keys[lookup]), skew, len(page))
            seconds = times[page] + rng.uniform(0, 1.2, len(page))
            parts.append(
                pd.DataFrame(
                    {
                        "seconds": seconds,
                        "lookup": lookup,
                        "key": np.asarray(keys[lookup])[chosen],
                        "scope": page,
                        "node": np.asarray(scene.NODES)[nodes[page]],
                        "force": rng.random(len(page)) < 0.002,
                    }
                )
            )
    return pd.concat(parts, ignore_index=True)


def _chosen(rng: np.random.Generator, lookup: str, among: int, skew: float, count: int) -> np.ndarray:
    if lookup != "vessel":
        return scene.pick(rng, among, skew, count)
    known = scene.pick(rng, scene.KNOWN_VESSELS, skew, count)
    unknown = scene.KNOWN_VESSELS + scene.pick(rng, scene.UNKNOWN_VESSELS, 0.6, count)
    return np.where(rng.random(count) < 1 / 3, unknown, known)


def _crawls(rng: np.random.Generator) -> pd.DataFrame:
    """The nightly job. It reads every tile once, in order, as fast as the origin answers."""
    tiles = len(scene.TILES)
    nights = [
        pd.DataFrame(
            {
                "seconds": night * DAY + scene.CRAWL + np.cumsum(rng.lognormal(-2.2, 0.4, tiles)),
                "lookup": "chart",
                "key": scene.TILES,
                "scope": -1 - night,
                "node": scene.NODES[3],
                "force": False,
            }
        )
        for night in range(2)
    ]
    return pd.concat(nights, ignore_index=True)


def _answers(
    rng: np.random.Generator, reads: pd.DataFrame, changes: dict[str, dict[str, np.ndarray]], known: set[str]
) -> pd.DataFrame:
    """What the origin answered: version, found, size and cost of every read."""
    seconds, lookup = reads["seconds"].to_numpy(), reads["lookup"].to_numpy()
    version = np.zeros(len(reads), np.int64)
    version[lookup == "tide"] = (seconds[lookup == "tide"] // DAY).astype(int)
    version[lookup == "weather"] = (seconds[lookup == "weather"] // 600).astype(int)
    version[lookup == "chart"] = seconds[lookup == "chart"] >= scene.NEW_CHARTS
    for name, by_key in changes.items():
        of_lookup = np.flatnonzero(lookup == name)
        for key, rows in reads.iloc[of_lookup].groupby("key").indices.items():
            at = of_lookup[rows]
            version[at] = np.searchsorted(by_key.get(str(key), np.array([])), seconds[at], side="right")
    unknown = (lookup == "vessel") & ~reads["key"].isin(known).to_numpy() & (version == 0)
    reads["found"] = ~(unknown | ((lookup == "notice") & (version % 2 == 0)))
    reads["version"] = version
    reads["size"] = _sizes(lookup, reads["key"].to_numpy(), version)
    reads.loc[~reads["found"], "size"] = 0
    reads["cost"] = _costs(rng, seconds, lookup)
    return reads


def _sizes(lookup: np.ndarray, key: np.ndarray, version: np.ndarray) -> np.ndarray:
    """The bytes of each value, drawn by a hash, so that equal values have equal sizes."""
    draw = pd.util.hash_pandas_object(pd.Series(lookup + "/" + key + "/" + version.astype(str)), index=False)
    uniform = (draw.to_numpy() >> np.uint64(11)).astype(float) / 2**53
    normal = np.vectorize(NormalDist().inv_cdf)(np.clip(uniform, 1e-9, 1 - 1e-9))
    median = np.array([ORIGINS[name].bytes_median for name in lookup])
    spread = np.array([ORIGINS[name].bytes_spread for name in lookup])
    size: np.ndarray = np.round(median * np.exp(spread * normal)).astype(np.int64)
    return size


def _costs(rng: np.random.Generator, seconds: np.ndarray, lookup: np.ndarray) -> np.ndarray:
    """Log-normal origin times in ns, slower while the harbour is busy and just after a start."""
    median = np.array([ORIGINS[name].cost_ms for name in lookup])
    spread = np.array([ORIGINS[name].cost_spread for name in lookup])
    cost_ms = median * np.exp(spread * rng.standard_normal(len(lookup)))
    minute = (seconds // 60).astype(int)
    busy = np.bincount(minute, minlength=2 * DAY // 60) / 60
    cost_ms *= 1 + np.minimum(busy[minute] / 12, 1.5)
    for start in (0, scene.DEPLOYMENT):
        cost_ms[(seconds >= start) & (seconds < start + 90)] *= 6
    cost_ns: np.ndarray = np.round(cost_ms * 1000).astype(np.int64) * 1000
    return cost_ns


def _writes(rng: np.random.Generator, changes: dict[str, dict[str, np.ndarray]]) -> pd.DataFrame:
    """Changes that a server made itself. Those of tides, weather and charts are not recorded as writes."""
    rows = [
        (time, "remove" if name == "notice" and number % 2 == 0 else "write", name, key, number)
        for name, by_key in changes.items()
        for key, times in by_key.items()
        for number, time in enumerate(times.tolist(), 1)
    ]
    writes = pd.DataFrame(rows, columns=["seconds", "op", "lookup", "key", "version"])
    writes["size"] = _sizes(writes["lookup"].to_numpy(), writes["key"].to_numpy(), writes["version"].to_numpy())
    writes["node"] = np.asarray(scene.NODES)[rng.integers(0, len(scene.NODES), len(writes))]
    removed = writes["op"] == "remove"
    return writes.assign(found=~removed).astype({"size": "Int64"}).assign(size=lambda rows: rows["size"].mask(removed))


def _bad_moments() -> pd.DataFrame:
    return pd.DataFrame(
        {
            "seconds": [scene.CRASH, scene.DEPLOYMENT, scene.NEW_CHARTS],
            "op": ["restart", "restart", "clear"],
            "lookup": [None, None, "chart"],
            "node": [scene.NODES[1], None, None],
        }
    )


def _table(rows: pd.DataFrame) -> pa.Table:
    start = pd.Timestamp(scene.START, tz="UTC").value
    rows["at"] = start + np.round(rows["seconds"].to_numpy() * 1e6).astype(np.int64) * 1000
    pages = rows["scope"].where(rows["scope"].notna(), other=np.nan)
    crawl, blank = pages < 0, pages.isna()
    rows["scope"] = ("p" + pages.fillna(0).astype(int).astype(str)).mask(crawl, "nightly crawl").mask(blank, None)
    rows["force"] = rows["force"].eq(True)
    kinds = {"at": "int64", "size": "Int64", "cost": "Int64", "version": "Int64", "found": "boolean", "force": "bool"}
    names = ["at", "op", "lookup", "key", "size", "cost", "found", "version", "scope", "node", "force"]
    table = pa.Table.from_pandas(rows[names].astype(kinds), preserve_index=False).replace_schema_metadata(None)
    return table.set_column(names.index("cost"), "cost", table["cost"].cast(pa.duration("ns")))


def write(path: Path) -> None:
    """Writes the trace as a small Parquet file."""
    table = generate()
    texts = ["op", "lookup", "key", "scope", "node"]
    packed = {"at": "DELTA_BINARY_PACKED", "size": "DELTA_BINARY_PACKED", "cost": "DELTA_BINARY_PACKED"}
    pq.write_table(table, path, compression="zstd", compression_level=19, use_dictionary=texts, column_encoding=packed)


if __name__ == "__main__":
    write(Path(sys.argv[1]))
