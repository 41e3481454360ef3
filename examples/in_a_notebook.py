"""From a table in a notebook to a plan file: look at the reads, try sizes for each look-up, choose, keep the pick."""

import tempfile
from datetime import timedelta
from pathlib import Path

import numpy as np

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    table = vg.shape.between(write_demo(folder)[0], "8h", "14h").to_pandas()
table = table.rename(columns={"at": "when", "lookup": "query", "key": "argument", "cost": "took"})

means = {"at": "{when}", "lookup": "{query}", "key": "{argument}", "cost": "{took}"}
trace = vg.read_trace(table, columns=means)
print(vg.survey(trace), end="\n\n")

curves = {name: vg.size_curve(trace, lookup=name) for name in ("vessel", "berth", "chart")}
vary = {
    f"lookup.{name}.max_entries": np.unique(np.geomspace(10, max(curve.enough_entries, 11), 3).astype(int))
    for name, curve in curves.items()
}
lifetimes = ["1m", timedelta(minutes=10), timedelta(hours=1)]
plan = vg.Plan(vg.Rules(max_entries=500), vary={**vary, "rules.absolute": lifetimes}, warm_up=timedelta(hours=1))
found = vg.sweep(trace, plan)
pick = found.choose(most="fresh_hit_rate", memory_peak="<= 12 MiB", limits={"read_time.p95": "<= 200ms"})
print(pick, end="\n\n")
print(pick.plan.to_pandas())
with tempfile.TemporaryDirectory() as folder:
    written = pick.plan.write(Path(folder, "picked.toml"))
    print(f"\nread back, it is the same plan: {vg.read_plan(written) == pick.plan}")
