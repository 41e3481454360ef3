"""How fast the native kernel replays under each eviction policy, beside the bare loop: ``make bench``.

It uses the trace of speed.py, without load times. Every policy runs in every round, and medians and ratios within the
run are printed. The last column, the share of reads that were hits, tells them apart.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path
from statistics import median

import speed

from vestigo import Plan, Rules
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.rules.eviction import POLICIES
from vestigo.trace import Trace

ROUNDS = 5


def policy_run(trace: Trace, entries: int, eviction: str) -> Callable[[], int]:
    rules = Rules(max_entries=entries, absolute=speed.ABSOLUTE, sliding=speed.SLIDING, eviction=eviction)
    work = job(trace, Plan(rules))

    def run() -> int:
        hits: int = native.run(work)[0]["hits"]
        return hits

    return run


def main() -> None:
    trace = speed.zipf_trace(timed=False)
    with tempfile.TemporaryDirectory() as folder:
        for entries in speed.SIZES:
            runs = {name: policy_run(trace, entries, name) for name in POLICIES}
            hits = {name: run() for name, run in runs.items()}
            bare = speed.bare_loop(trace, entries, Path(folder))
            speeds: dict[str, list[float]] = {name: [] for name in ("bare loop", *runs)}
            for _ in range(ROUNDS):
                for name, run in {"bare loop": bare, **runs}.items():
                    speeds[name].append(speed.reads_a_second(run, speed.READS))
            limit = median(speeds["bare loop"])
            print(f"\n{entries:,} entries".ljust(20) + "M reads/s  of the bare loop  hit rate")
            for name, measured in speeds.items():
                share = f"{hits[name] / speed.READS:>10.3f}" if name in hits else ""
                print(f"{name:<16}{median(measured) / 1e6:>12.2f}{median(measured) / limit:>18.2f}{share}")


if __name__ == "__main__":
    main()
