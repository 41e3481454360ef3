"""What replaying in parts gains: ``make bench``.

The demo: a sweep of its candidates beside single replays, a candidate that changes one look-up (each in turn), a knob
of one look-up.
Then 10 M reads (speed.py) over six look-ups, and of one look-up on four nodes: the parts on all cores beside the same
replay in one piece on one. Ratios are taken in one run, and the medians are printed.
"""

import dataclasses
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

import numpy as np
import speed

from vestigo import Plan, Rules, Trace, read_plan, read_trace, sweep
from vestigo.choosing.explorer import Explorer
from vestigo.demo import files
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.known_parts import KnownParts
from vestigo.engine.native.feed import RunOptions
from vestigo.engine.parts import Cut

ROUNDS = 7
LOOKUPS = ("a", "b", "c", "d", "e", "f")
IN_ONE_PIECE = RunOptions(Cut(fewest_rows=2**40))

GRID: dict[str, list[object]] = {
    "rules.absolute": ["10m", "4h"],
    "rules.on_write": ["leave", "drop"],
    "rules.tell_nodes": ["nothing", "drop"],
    "lookup.chart.max_bytes": ["4 MiB", "8 MiB"],
    "lookup.notice.nulls": ["keep"],
    "lookup.vessel.max_entries": [500, 2000],
    "lookup.vessel.nulls": ["skip", "keep 10m"],
    "lookup.vessel.sliding": ["5m", "never"],
    "lookup.weather.absolute": ["2m", "5m"],
}
"""256 combinations of what the demo could vary."""


def seconds(run: Callable[..., object], *arguments: object) -> float:
    begun = time.perf_counter()
    run(*arguments)
    return time.perf_counter() - begun


def demo(folder: Path) -> None:
    paths = files.write_demo(folder)
    trace, plan = read_trace(paths[0]), dataclasses.replace(read_plan(paths[1]), vary=GRID)
    work = job(trace, plan)
    explorer = Explorer(trace, plan)
    explored = explorer.around(plan.what_if)
    single, whole_sweep, knob = ([] for _ in range(3))
    gains: dict[str, list[float]] = {name: [] for name in trace.lookups}
    for number in range(ROUNDS):
        single.append(seconds(native.run, work, None, IN_ONE_PIECE))
        known = KnownParts()
        native.run(work, known)
        for name, gained in gains.items():
            other = job(trace, plan.changed({f"lookup.{name}.absolute": f"{60 + 7 * number}s"}))
            gained.append(single[-1] / seconds(native.run, other, known))
        knob.append(seconds(explored.replay, plan.changed({"lookup.vessel.absolute": f"{63 + 7 * number}s"})))
        anew = read_trace(paths[0])
        whole_sweep.append(seconds(sweep, anew, plan))
    found = len(sweep(anew, plan))
    ratio = median(all_of_them / alone for all_of_them, alone in zip(whole_sweep, single, strict=True))
    print(f"\nthe demo's {found} candidates: {median(whole_sweep):.2f} s, as long as {ratio:.0f} single replays")
    each = ", ".join(f"{name} {median(gained):.1f}" for name, gained in gains.items())
    print(f"a candidate that changes one look-up of six, times as fast as a replay in one piece: {each}")
    print(f"a knob of one look-up: {1000 * median(knob):.0f} ms")


def on_lookups(trace: Trace) -> Trace:
    key_lookup = (np.arange(len(trace.keys)) % len(LOOKUPS)).astype(np.int32)
    return dataclasses.replace(trace, lookup=key_lookup[trace.key], key_lookup=key_lookup, lookups=LOOKUPS)


def on_nodes(trace: Trace) -> Trace:
    node = np.random.default_rng(2).integers(0, 4, len(trace)).astype(np.int32)
    return dataclasses.replace(trace, node=node, nodes=("n1", "n2", "n3", "n4"))


def one_replay(name: str, trace: Trace, entries: int) -> None:
    work = job(trace, Plan(Rules(max_entries=entries, absolute=speed.ABSOLUTE, sliding=speed.SLIDING)))
    ways = {"in one piece": IN_ONE_PIECE, "in parts": RunOptions(Cut(by_node=len(trace.nodes) > 0))}
    for options in ways.values():
        native.run(work, options=options)  # what is prepared once for a trace is not measured
    times: dict[str, list[float]] = {way: [] for way in ways}
    for _ in range(ROUNDS):
        for way, options in ways.items():
            times[way].append(seconds(native.run, work, None, options))
    ratio = median(one / parts for one, parts in zip(*times.values(), strict=True))
    alone, apart = (f"{median(taken):.2f} s" for taken in times.values())
    print(
        f"{len(trace):,} reads, {name}, {entries:,} entries: {alone} in one piece, {apart} in parts, {ratio:.2f} times"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        demo(Path(folder))
    trace = speed.zipf_trace(timed=False)
    for entries in speed.SIZES:
        one_replay("six look-ups", on_lookups(trace), entries)
        one_replay("four nodes", on_nodes(trace), entries)


if __name__ == "__main__":
    main()
