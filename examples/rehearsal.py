"""The settings with most hits are not those that stand a bad day best: a choice, a rehearsal, and another choice."""

import tempfile
from typing import Any

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

KEPT: dict[str, Any] = {"nulls": "keep", "max_entries": 2000}
CANDIDATES: dict[str, dict[str, Any]] = {
    "longer": {"absolute": "20m"},
    "served on failure": {"absolute": "15m", "serve_on_failure": "6h"},
}
plan = vg.Plan(
    vg.Rules(**KEPT, absolute="10m"),
    candidates={name: vg.Rules(**KEPT, **rules) for name, rules in CANDIDATES.items()},
    origin={"at_once": 4, "give_up": "2s", "slow": "500ms"},
)

pick = vg.sweep(trace, plan).choose(most="hit_rate").candidate
print(f"Most hits: {pick.name}, {pick.hit_rate:.1%}\n")

found = vg.rehearse(trace, plan, moments=["restart", "outage"], at="2026-03-17T08:30:00Z")
print("                   moment     failed   slow  calls waiting  as well off after")
for row in found.rows:
    if row.moment:
        told = f"{row.failed:>8,}{row.slow:>7,}{row.waiting:>15,}{found.takes(row):>19}"
        print(f"{row.settings:<19}{row.moment:<9}{told}")

steady = min(found.settings, key=lambda name: found.row("outage", name).failed)
print(f"\nFewest reads fail with: {steady}, hit rate {vg.replay(trace, plan.candidates[steady]).hit_rate:.1%}")
