"""How fast choosing is: the curve of all sizes, and many replays on one core and on all: ``make bench``.

The trace of speed.py: 10 M reads of 1 M keys. Sixteen candidates, by turns on one thread and on as many as there are
cores, medians of the ratios.
"""

import os
import time
from concurrent.futures import ThreadPoolExecutor
from statistics import median

import speed

from vestigo import Plan, Rules, size_curve
from vestigo.engine.job import job
from vestigo.study.compare import prepare
from vestigo.study.study import replayed, split_at
from vestigo.study.sweep import settings_of

ROUNDS = 3
PLAN = Plan(
    Rules(absolute=speed.ABSOLUTE),
    vary={"rules.max_entries": [1_000, 5_000, 20_000, 100_000], "rules.sliding": ["30s", "1m", "2m", "5m"]},
)


def seconds(run: object) -> float:
    begun = time.perf_counter()
    run()  # type: ignore[operator]
    return time.perf_counter() - begun


def main() -> None:
    trace = speed.zipf_trace(timed=False)
    jobs = [job(trace, plan) for _, plan in settings_of(PLAN)[0].values()]
    prepare(trace, jobs)
    curves = [seconds(lambda: size_curve(trace)) for _ in range(ROUNDS)]
    print(f"\nall sizes of {len(trace):,} reads, {len(trace.keys):,} keys: {median(curves):.2f} s")

    def replay_all(threads: int) -> None:
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(lambda one: replayed(trace, one, "x", split_at(one, 0.4)), jobs))

    cores = os.cpu_count() or 1
    pairs = [(seconds(lambda: replay_all(1)), seconds(lambda: replay_all(cores))) for _ in range(ROUNDS)]
    alone, together = (median(times) for times in zip(*pairs, strict=True))
    ratio = median(one / all_of_them for one, all_of_them in pairs)
    print(
        f"{len(jobs)} candidates: {alone:.1f} s on one thread, {together:.1f} s on {cores}: {ratio:.2f} times as fast"
    )


if __name__ == "__main__":
    main()
