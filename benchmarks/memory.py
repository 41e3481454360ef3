"""How much memory a replay takes: 10 M and 40 M events over the same keys, from the prepared form.

``make bench``: each replay has its own process, which is watched while it works. Mapped pages of the file are not
counted, because the system takes them back whenever it needs the room.
"""

import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from speed import SKEW

from vestigo import Rules, Trace, read_trace, replay, write_trace

KEYS = 500_000
EVENTS = (10_000_000, 40_000_000)
RULES = Rules(max_entries=100_000, absolute="10m", sliding="2m")


def trace_of(events: int) -> Trace:
    """A trace in which every key is read once, and then by Zipf(0.9). Loads take about 20 ms."""
    rng = np.random.default_rng(1)
    cumulated = np.cumsum(1 / np.arange(1, KEYS + 1) ** SKEW)
    key = np.searchsorted(cumulated, rng.random(events) * cumulated[-1])
    key[:KEYS] = np.arange(KEYS)
    at = 1_700_000_000_000_000_000 + np.cumsum(rng.exponential(100_000, events)).astype(np.int64)
    size = rng.integers(100, 5000, KEYS)[key]
    cost = rng.lognormal(np.log(20e6), 0.5, events).astype(np.int64)
    return read_trace({"at": at, "key": key, "size": size, "cost": cost})


class Watch(threading.Thread):
    """The peak of this process's own memory in MiB, looked at every few milliseconds."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.most = 0.0

    def run(self) -> None:
        while True:
            self.most = max(self.most, own_memory())
            time.sleep(0.003)


def own_memory() -> float:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("RssAnon"))


def watched_replay(path: str) -> None:
    watch = Watch()
    watch.start()
    trace = read_trace(path)
    opened = own_memory()
    begun = time.perf_counter()
    outcome = replay(trace, RULES)
    took = time.perf_counter() - begun
    print(f"{len(trace):>12,}{len(trace.keys):>10,}{opened:>15.0f}{watch.most:>12.0f}{took:>12.1f}{outcome.hits:>13,}")


def main() -> None:
    print("      events      keys   MiB, opened   MiB, most   seconds         hits")
    with tempfile.TemporaryDirectory() as folder:
        for events in EVENTS:
            path = Path(folder) / f"{events}.arrow"
            write_trace(trace_of(events), path)
            subprocess.run([sys.executable, __file__, str(path)], check=True)


if __name__ == "__main__":
    watched_replay(sys.argv[1]) if len(sys.argv) > 1 else main()
