"""How fast choosing is: the curve of all sizes, many replays on one core and on all, a sampled sweep: ``make bench``.

It uses the trace of speed.py: 10 M reads of 1 M keys. Sixteen candidates run in turn on one thread and on all cores,
and the medians of the ratios are printed. Then a thousand candidates are estimated from a tenth of the keys, and those
that no other beats are replayed.
"""

import os
import time
from concurrent.futures import ThreadPoolExecutor
from statistics import median

import numpy as np
import speed

from vestigo import Plan, Rules, size_curve, sweep
from vestigo.choosing.tried import tried
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.ready import prepare

ROUNDS = 3
PLAN = Plan(
    Rules(absolute=speed.ABSOLUTE),
    vary={"rules.max_entries": [1_000, 5_000, 20_000, 100_000], "rules.sliding": ["30s", "1m", "2m", "5m"]},
)

THOUSAND = Plan(
    Rules(absolute=speed.ABSOLUTE),
    vary={
        "rules.max_entries": [round(size) for size in np.geomspace(1_000, 100_000, 25)],
        "rules.sliding": ["15s", "30s", "1m", "2m", "5m"],
        "rules.absolute": ["2m", "10m"],
        "rules.eviction": ["lru", "sieve", "s3-fifo", "slru"],
    },
)


def seconds(run: object) -> float:
    begun = time.perf_counter()
    run()  # type: ignore[operator]
    return time.perf_counter() - begun


def main() -> None:
    trace = speed.zipf_trace(timed=False)
    jobs = [job(trace, plan) for _, plan in tried(PLAN, trace.lookups).settings.values()]
    prepare(jobs)
    curves = [seconds(lambda: size_curve(trace)) for _ in range(ROUNDS)]
    print(f"\nall sizes of {len(trace):,} reads, {len(trace.keys):,} keys: {median(curves):.2f} s")

    def replay_all(threads: int) -> None:
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(native.run, jobs))

    cores = os.cpu_count() or 1
    pairs = [(seconds(lambda: replay_all(1)), seconds(lambda: replay_all(cores))) for _ in range(ROUNDS)]
    alone, together = (median(times) for times in zip(*pairs, strict=True))
    ratio = median(one / all_of_them for one, all_of_them in pairs)
    print(
        f"{len(jobs)} candidates: {alone:.1f} s on one thread, {together:.1f} s on {cores}: {ratio:.2f} times as fast"
    )
    begun = time.perf_counter()
    study = sweep(trace, THOUSAND, sample="10%")
    print(f"{study.notes[0]}: {time.perf_counter() - begun:.0f} s; {len(study.front())} on the front")


if __name__ == "__main__":
    main()
