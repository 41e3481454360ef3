"""How fast the native kernel replays expensive rules, beside the bare loop: ``make bench``.

The trace of speed.py, on four nodes, in requests of about six reads of which many are under way at once. Every rule
runs in every round, and medians and ratios within the run are printed. Rules that the plain replay knows are marked.
The others need the full replay.
"""

import dataclasses
import tempfile
from collections.abc import Callable
from pathlib import Path
from statistics import median

import numpy as np
import speed
from parts import IN_ONE_PIECE

from vestigo import Plan, Rules
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.native.begin import is_plain
from vestigo.engine.parts import whole
from vestigo.trace import Trace

ROUNDS = 5
BASE = {"absolute": speed.ABSOLUTE, "sliding": speed.SLIDING, "per": "all"}
"""One cache for the four nodes, unless a rule says otherwise."""
RULES: dict[str, dict[str, object]] = {
    "sliding, absolute": {},
    "per node": {"per": "node"},
    "per node, told": {"per": "node", "tell_nodes": "drop"},
    "jitter": {"jitter": "10%"},
    "collect prompt": {"collect": "prompt"},
    "per scope": {"per": "scope"},
    "keep_if, pin": {"keep_if": "size <= 4 KiB", "pin": ["7", "77"]},
    "hit_cost_per_kib": {"hit_cost_per_kib": "100ns"},
}
TIMED: dict[str, dict[str, object]] = {
    "repeat": {},
    "join": {"overlap": "join"},
    "refresh, stale": {"reload_after": "80%", "serve_stale": "1m"},
    "batch": {"batch": "5ms"},
}
PLACES = 200
"""How many calls the benchmarked origin answers at once; the rest wait."""


def on_nodes(trace: Trace) -> Trace:
    """Reads that come within 5 ms belong to some ten requests."""
    rng = np.random.default_rng(2)
    node = rng.integers(0, 4, len(trace)).astype(np.int32)
    request = (np.arange(len(trace)) // 60 * 10 + rng.integers(0, 10, len(trace))).astype(np.int32)
    return dataclasses.replace(trace, node=node, nodes=("a", "b", "c", "d"), scope=request)


def run_of(
    trace: Trace, entries: int, rules: dict[str, object], places: int | None = None
) -> tuple[Callable[[], object], bool]:
    work = job(
        trace, Plan(Rules(**{**BASE, "max_entries": entries, **rules}), origin={"at_once": places} if places else {})
    )
    return lambda: native.run(work, options=IN_ONE_PIECE), is_plain(trace, whole(work))


def main() -> None:
    plain, timed = (on_nodes(speed.zipf_trace(timed=timed)) for timed in (False, True))
    with tempfile.TemporaryDirectory() as folder:
        for entries in speed.SIZES:
            runs = {name: run_of(plain, entries, rules) for name, rules in RULES.items()}
            runs |= {f"loads, {name}": run_of(timed, entries, rules) for name, rules in TIMED.items()}
            runs[f"loads, {PLACES} places"] = run_of(timed, entries, {}, PLACES)
            everyone = {"bare loop": (speed.bare_loop(plain, entries, Path(folder)), False), **runs}
            for run, _ in everyone.values():
                run()  # what is prepared once for a trace is not measured
            speeds: dict[str, list[float]] = {name: [] for name in everyone}
            for _ in range(ROUNDS):
                for name, (run, _) in everyone.items():
                    speeds[name].append(speed.reads_a_second(run, speed.READS))
            limit = median(speeds["bare loop"])
            print(f"\n{entries:,} entries".ljust(24) + "M reads/s  of the bare loop")
            for name, measured in speeds.items():
                print(
                    f"{name:<20}{median(measured) / 1e6:>12.2f}{median(measured) / limit:>18.3f}"
                    + "   plain" * everyone[name][1]
                )


if __name__ == "__main__":
    main()
