"""How fast traces are read, compared with pandas: ``make bench``.

5 M rows with text keys as CSV and Parquet: `read_trace` against `pandas.read_csv` (`read_parquet`) and `factorize` of
look-up and key, in turn in one run, with medians. It also opens 10 M events in the prepared form.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.csv as arrow_csv
import pyarrow.parquet as pq

from vestigo import read_trace, write_trace

ROWS, KEYS, PREPARED = 5_000_000, 200_000, 10_000_000
ROUNDS = 5


def table(rows: int) -> pa.Table:
    """Reads of 200,000 keys by a Zipf law, as a service would log them."""
    rng = np.random.default_rng(5)
    key = np.searchsorted(np.cumsum(1 / np.arange(1, KEYS + 1) ** 0.9), rng.random(rows) * 93.0) % KEYS
    names = pa.array([f"QA{number:06}/{number % 97}" for number in range(KEYS)])
    lookups = pa.array(["vessel", "berth", "tide"])
    return pa.table(
        {
            "at": 1_773_741_600_000_000_000 + np.cumsum(rng.integers(1, 200_000, rows)),
            "lookup": pa.DictionaryArray.from_arrays(pa.array(key % 3, pa.int32()), lookups).cast(pa.string()),
            "key": pa.DictionaryArray.from_arrays(pa.array(key, pa.int32()), names).cast(pa.string()),
            "size": rng.integers(100, 5000, KEYS)[key],
            "cost": rng.lognormal(16, 0.5, rows).astype(np.int64),
        }
    )


def factorized(read: Callable[..., pd.DataFrame], path: Path) -> None:
    frame = read(path)
    for name in ("lookup", "key"):
        frame[name].factorize()


def seconds(run: Callable[[], object]) -> float:
    begun = time.perf_counter()
    run()
    return time.perf_counter() - begun


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        csv, parquet, prepared = (Path(folder) / name for name in ("t.csv", "t.parquet", "t.arrow"))
        rows = table(ROWS)
        arrow_csv.write_csv(rows, csv)
        pq.write_table(rows, parquet)
        del rows
        contestants = {
            "CSV": (lambda: read_trace(csv), lambda: factorized(pd.read_csv, csv)),
            "Parquet": (lambda: read_trace(parquet), lambda: factorized(pd.read_parquet, parquet)),
        }
        print(f"\n{ROWS:,} rows   read_trace s  pandas s  times as fast")
        for name, (ours, theirs) in contestants.items():
            pairs = [(seconds(ours), seconds(theirs)) for _ in range(ROUNDS)]
            mine, others = (median(times) for times in zip(*pairs, strict=True))
            ratio = median(other / own for own, other in pairs)
            print(f"{name:<16}{mine:>12.2f}{others:>10.2f}{ratio:>15.1f}")
        write_trace(read_trace(table(PREPARED)), prepared)
        opened = median(seconds(lambda: read_trace(prepared)) for _ in range(ROUNDS))
        print(f"{PREPARED:,} events in the prepared form opened in {opened:.3f} s")


if __name__ == "__main__":
    main()
