"""Ten million reads, as a user meets them: six look-ups on four nodes, with costs, sizes and versions.

``make bench``: each command has its own process, and none keeps results for another. Printed are its seconds and the
most memory that it had: all of it, and without the mapped pages of files, which the system takes back whenever it
needs the room.
"""

import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
import pandas as pd
from speed import SKEW

from vestigo import read_trace, write_trace

READS, KEYS = 10_000_000, 1_000_000
LOOKUPS = ("actor", "chapter", "depot", "fare", "route", "tariff")
NODES = ("n1", "n2", "n3", "n4")
PLAN = """\
[trace]
path = "large.arrow"

[rules]
max_entries = 50000
absolute = "10m"
sliding = "2m"
per = "node"
"""
COMMANDS = {
    "survey": ["survey", "large.arrow"],
    "replay": ["replay", "--plan", "large.toml"],
    "check": ["check", "--plan", "large.toml", "--no-results"],
    "report": ["report", "--plan", "large.toml", "--no-results", "--write", "large.html"],
    "convert, from Parquet": ["convert", "large.parquet", "again.arrow"],
}


def reads(events: int = READS) -> pd.DataFrame:
    """10,000 reads a second by Zipf(0.9). A value changes every 100 minutes, and loads take about 20 ms."""
    rng = np.random.default_rng(1)
    cumulated = np.cumsum(1 / np.arange(1, KEYS + 1) ** SKEW)
    key = np.searchsorted(cumulated, rng.random(events) * cumulated[-1])
    at = 1_700_000_000_000_000_000 + np.cumsum(rng.exponential(100_000, events)).astype(np.int64)
    texts = np.char.add("k", np.arange(KEYS).astype(str)).astype(object)
    return pd.DataFrame(
        {
            "at": at,
            "key": texts[key],
            "lookup": np.array(LOOKUPS, object)[key % len(LOOKUPS)],
            "node": np.array(NODES, object)[rng.integers(0, len(NODES), events)],
            "version": ((at - at[0]) // 10**9 + key * 977) // 6000,
            "size": rng.integers(100, 5000, KEYS)[key],
            "cost": rng.lognormal(np.log(20e6), 0.5, events).astype(np.int64),
        }
    )


class Watch(threading.Thread):
    """The most memory of a process in MiB: all of it, and its own."""

    def __init__(self, process: int) -> None:
        super().__init__(daemon=True)
        self.status = Path(f"/proc/{process}/status")
        self.whole, self.own = 0, 0

    def run(self) -> None:
        while True:
            try:
                lines = self.status.read_text().splitlines()
            except OSError:
                return
            sizes = {line.split(":")[0]: line.split()[1] for line in lines if line.startswith(("RssAnon", "VmHWM"))}
            self.whole = max(self.whole, int(sizes.get("VmHWM", 0)) // 1024)
            self.own = max(self.own, int(sizes.get("RssAnon", 0)) // 1024)
            time.sleep(0.01)


def measured(name: str, command: list[str], folder: Path) -> None:
    begun = time.perf_counter()
    with subprocess.Popen(
        [Path(sys.executable).with_name("vestigo"), *command],
        cwd=folder,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    ) as process:
        watch = Watch(process.pid)
        watch.start()
        process.wait()
    took = time.perf_counter() - begun
    print(f"{name:<24}{took:>9.1f}{watch.whole:>10,}{watch.own:>12,}{process.returncode:>8}", flush=True)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        table = reads()
        table.to_parquet(folder / "large.parquet", index=False)
        write_trace(read_trace(table), folder / "large.arrow")
        del table
        (folder / "large.toml").write_text(PLAN)
        print(f"{'':<24}{'seconds':>9}{'MiB':>10}{'MiB, own':>12}{'status':>8}")
        chosen = sys.argv[1:] or list(COMMANDS)
        for command in chosen:
            measured(command, COMMANDS[command], folder)


if __name__ == "__main__":
    main()
