"""How long it takes to tell of every read, of every key, and of what happens to a thousand keys, beside the plain
counts.

``make bench``: it uses the trace of speed.py, asks every question in every round, and prints medians and ratios within
the run.
"""

import time
from collections.abc import Callable
from statistics import median

import numpy as np
from speed import zipf_trace

from vestigo import Duration, Plan, Rules, Trace
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.outcome.seen import Watching

ROUNDS = 5
RULES = {
    "plain": Rules(absolute=Duration.parse("10m"), sliding=Duration.parse("2m")),
    "full": Rules(absolute=Duration.parse("10m"), sliding=Duration.parse("2m"), serve_stale=Duration.parse("10s")),
}


def questions(trace: Trace, rules: Rules) -> dict[str, Callable[[], object]]:
    work = job(trace, Plan(rules))
    chosen = np.random.default_rng(2).choice(len(trace.keys), 1000, replace=False)
    few = tuple(sorted(chosen.tolist()))
    popular = tuple(sorted(np.argsort(-np.bincount(trace.key))[:1000].tolist()))
    return {
        "numbers": lambda: native.run(work),
        "reads": lambda: native.watch(work, Watching(reads=True)),
        "keys": lambda: native.watch(work, Watching(keys=True)),
        "1,000 keys' stories": lambda: native.watch(work, Watching(chosen=few)),
        "the 1,000 most read": lambda: native.watch(work, Watching(chosen=popular)),
    }


def main() -> None:
    for timed in (False, True):
        trace = zipf_trace(timed)
        for name, rules in RULES.items():
            for entries in (1_000, 100_000):
                asked = questions(trace, rules.model_copy(update={"max_entries": entries}))
                times: dict[str, list[float]] = {one: [] for one in asked}
                for round_ in range(ROUNDS + 1):
                    for one, run in asked.items():
                        begun = time.perf_counter()
                        run()
                        if round_:
                            times[one].append(time.perf_counter() - begun)
                print(f"{name} replay, {entries:,} entries, loads {'take time' if timed else 'at once'}")
                for one, seconds in times.items():
                    ratio = median(bare / own for bare, own in zip(times["numbers"], seconds, strict=True))
                    print(
                        f"  {one:20} {len(trace) / median(seconds) / 1e6:6.1f} M reads/s  {ratio:6.3f} of its speed",
                        flush=True,
                    )


if __name__ == "__main__":
    main()
