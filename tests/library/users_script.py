"""A script as a user writes it. It passes the type checkers, and it runs (test_types.py)."""

import sys
import tempfile
from datetime import timedelta
from pathlib import Path

import matplotlib as mpl
import numpy as np

import vestigo as vg

mpl.use("agg")
folder = Path(tempfile.mkdtemp())
trace = vg.synth(2_000, keys=100, skew=0.8, changes="1m", nodes=2)
trace = vg.read_trace(trace.to_pandas(), behind="no")
trace = vg.read_trace(vg.write_trace(trace, folder / "t.parquet"), vg.Intake(at_unit="ns"), strict=True)
busy = vg.shape.between(vg.shape.only(trace, lookups=["reads"]), "1s", timedelta(seconds=15))
few = vg.shape.sampled(vg.shape.faster(busy, speed=2), sample="50%")

rules = vg.Rules(max_entries=50, absolute="10m", sliding=timedelta(minutes=5), nulls="keep 30s", jitter="10%")
plan = vg.Plan(
    rules,
    lookups={"reads": {"on_write": "drop"}},
    vary={"rules.max_entries": np.array([20, 80]), "rules.absolute": ["1m", timedelta(hours=1)]},
    warm_up="1s",
    what_if=vg.WhatIf(traffic=2),
    aim=vg.Aim(most="hit_rate", limits={"memory_peak": "<= 64 MiB"}),
)
plan = vg.read_plan(plan.write(folder / "plan.toml"))

outcome = vg.replay(trace, plan, engine="native", name="mine")
seconds: float = outcome.read_time(95) + outcome.measure("answer_age.mean") + outcome.lookups["reads"].hit_rate
results = vg.compare(trace, plan, progress=False)
found = vg.sweep(trace, plan, results=folder / "kept", rest="30%", progress=lambda what, done, of: None)
searched = vg.search(trace, rules, seconds=10, results=folder / "kept")
reached: float | None = proof.bound if (proof := searched.choose().proof) else None
pick = found.choose(most="fresh_hit_rate", memory_peak="<= 1 MiB", limits={"read_time.p95": "<= 1s"})
pick = found.choose(vg.Aim(worth=vg.Worth(million_loads=1.0)))
settings: vg.Plan = pick.plan
curve = vg.size_curve(trace, settings, lookup="reads", sizes=[10, 20], lifetimes=["1m"], enough="90%")
rate: float = curve.hit_rate(10) + curve.hit_rate(max_bytes="64 KiB")
estimate = vg.KeySample(trace, "20%", samples=2).estimate(rules)
keys, reads = vg.key_by_key(trace, settings), vg.read_by_read(trace, settings)
story = vg.why(trace, settings, key=str(trace.keys[0]), at="5s")
checked, page = vg.check(trace, rules), vg.report(trace, plan, found=found)
cache: dict[object, vg.OriginValue | None] = {}


def read(lookup: str, key: object, load: vg.Load) -> vg.OriginValue | None:
    return cache.setdefault(key, load()) if key not in cache else cache[key]


driven = vg.drive(trace, rules, read=read, speed=None, patience="10s")
counted = [{"at": int(at), "hits": n * 90, "misses": n * 60} for n, at in enumerate((trace.at[0], trace.at[-1]))]
confirmation = vg.confirm(trace, rules, counted, tolerate="2%")
with vg.Recorder(folder / "recorded", node="quay-1") as recorder:

    @recorder.reads("vessel")
    def vessel(number: int) -> str:
        return f"vessel {number}"

    name: str = vessel(5)
saved = vg.load(vg.save(pick, folder / "pick.json"))
vg.figures.front(found, pick, ax=vg.figures.causes(outcome).figure.add_subplot())
page.write(folder / "page.html")
sys.stdout.write(f"{survey.total.reads}" if (survey := vg.survey(few)) else "")
