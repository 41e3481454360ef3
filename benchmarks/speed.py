"""How fast the native kernel replays, beside the bare loop, ``functools.lru_cache`` and a plain Python loop.

``make bench``: 10 M reads by a Zipf(0.9) law over 1 M keys, made on the fly. Everything runs in every round, and
medians and ratios within the run are printed, because the machine may be busy. README and docs/architecture.md say
more.
"""

import ctypes
import gc
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from statistics import median

import numpy as np
from plain_loop import plain_loop

from vestigo import Duration, Plan, Rules, Trace, read_trace
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.prepared.batches import make_ready
from vestigo.prepared.fill import assume
from vestigo.prepared.part import everything

READS, KEYS, SKEW = 10_000_000, 1_000_000, 0.9
ABSOLUTE, SLIDING = Duration.parse("10m"), Duration.parse("2m")
SIZES = (1_000, 100_000)
ROUNDS = 7
PART = 10  # Python runs on every tenth part of the trace

Times = dict[str, list[float]]


def zipf_trace(timed: bool) -> Trace:
    """10,000 reads a second for 1,000 seconds. The value of a key changes every 100 minutes, and loads take about 20
    ms.
    """
    rng = np.random.default_rng(1)
    cumulated = np.cumsum(1 / np.arange(1, KEYS + 1) ** SKEW)
    key = np.searchsorted(cumulated, rng.random(READS) * cumulated[-1])
    at = 1_700_000_000_000_000_000 + np.cumsum(rng.exponential(100_000, READS)).astype(np.int64)
    version = ((at - at[0]) // 10**9 + key * 977) // 6000
    size = rng.integers(100, 5000, KEYS)[key]
    cost = rng.lognormal(np.log(20e6), 0.5, READS).astype(np.int64) if timed else np.zeros(READS, np.int64)
    return read_trace({"at": at, "key": key, "version": version, "size": size, "cost": cost})


def kernel(trace: Trace, entries: int) -> Callable[[], tuple[int, int]]:
    """Everything that an Outcome tells is counted."""
    rules = Rules(max_entries=entries, absolute=ABSOLUTE, sliding=SLIDING)
    work = job(trace, Plan(rules))

    def run() -> tuple[int, int]:
        total, _, _ = native.run(work)
        return total["hits"], total["stale_hits"]

    return run


def bare_loop(trace: Trace, entries: int, folder: Path) -> Callable[[], tuple[int, int]]:
    library = folder / "bare_loop.so"
    source = Path(__file__).with_name("bare_loop.cpp")
    subprocess.run(["g++", "-O3", "-std=c++20", "-shared", "-fPIC", "-o", library, source], check=True)
    loop = ctypes.CDLL(str(library)).bare_loop
    found = np.zeros(2, np.int64)
    numbers = (len(trace), len(trace.keys), entries, int(ABSOLUTE), int(SLIDING))
    kinds = (ctypes.c_int64, ctypes.c_int32, ctypes.c_int32, ctypes.c_int64, ctypes.c_int64)
    arguments = [array.ctypes.data_as(ctypes.c_void_p) for array in (trace.at, trace.key, trace.version)]
    arguments += [kind(number) for kind, number in zip(kinds, numbers, strict=True)]
    arguments.append(found.ctypes.data_as(ctypes.c_void_p))

    def run() -> tuple[int, int]:
        loop(*arguments)
        return int(found[0]), int(found[1])

    return run


def python_loops(trace: Trace, entries: int) -> dict[str, Callable[[], object]]:
    part = slice(0, READS // PART)
    keys = trace.key[part].tolist()
    columns = [column[part].tolist() for column in (trace.at, trace.key, trace.version, trace.size, trace.cost)]

    def cached() -> None:
        load = lru_cache(entries)(lambda key: key)
        for key in keys:
            load(key)

    return {
        "lru_cache": cached,
        "python loop": lambda: plain_loop(*columns, entries, int(ABSOLUTE), int(SLIDING)),
    }


def reads_a_second(run: Callable[[], object], reads: int) -> float:
    gc.collect()
    gc.disable()  # otherwise the Python loops would search long lists of numbers for garbage
    begun = time.perf_counter()
    run()
    took = time.perf_counter() - begun
    gc.enable()
    return reads / took


def main() -> None:
    traces = {"kernel": zipf_trace(timed=False), "kernel, loads take time": zipf_trace(timed=True)}
    for name, trace in traces.items():
        begun = time.perf_counter()
        make_ready(trace, assume(trace, Plan()), [everything(trace)])
        print(f"columns of the {name!r} trace made ready once: {time.perf_counter() - begun:.2f} s")
    with tempfile.TemporaryDirectory() as folder:
        for entries in SIZES:
            bare = bare_loop(traces["kernel"], entries, Path(folder))
            kernels = {name: kernel(trace, entries) for name, trace in traces.items()}
            if bare() != kernels["kernel"]():
                sys.exit(f"the bare loop counts {bare()}, the kernel {kernels['kernel']()}")
            pythons = python_loops(traces["kernel"], entries)
            report(entries, rounds({"bare loop": bare} | kernels, pythons))


def rounds(natives: dict[str, Callable[[], object]], pythons: dict[str, Callable[[], object]]) -> Times:
    speeds: Times = {name: [] for name in (*natives, *pythons)}
    for number in range(ROUNDS):
        for name, run in natives.items():
            speeds[name].append(reads_a_second(run, READS))
        if number < 3:
            for name, run in pythons.items():
                speeds[name].append(reads_a_second(run, READS // PART))
    return speeds


def report(entries: int, speeds: Times) -> None:
    bare, python = median(speeds["bare loop"]), median(speeds["python loop"])
    print(f"\n{entries:,} entries".ljust(29) + "M reads/s  of the bare loop  times the Python loop")
    for name, measured in speeds.items():
        speed = median(measured)
        print(f"{name:<26}{speed / 1e6:>12.2f}{speed / bare:>18.2f}{speed / python:>23.1f}")


if __name__ == "__main__":
    main()
