"""From sizes to settings on the demo: how little room is enough, 128 combinations, the pick, one budget for all."""

import tempfile
from dataclasses import replace

from vestigo import Aim, Rules, read_plan, read_trace, replay, share_out, size_curve, sweep
from vestigo.demo import files

with tempfile.TemporaryDirectory() as folder:
    trace_path, plan_path = files.write_demo(folder)
    trace, plan = read_trace(trace_path), read_plan(plan_path)

for lookup in ("vessel", "chart"):
    curve = size_curve(trace, plan, lookup=lookup)
    enough = curve.enough_entries
    print(f"{lookup}: {enough:,} entries a server have {curve.hit_rate(enough):.1%}, no limit {curve.ceiling:.1%}")

fewer = {key: values for key, values in plan.vary.items() if key != "lookup.vessel.sliding"}
found = sweep(trace, replace(plan, vary=fewer))
print(f"{len(found)} candidates, {len(found.front())} of them the best trade-offs")

pick = found.choose(most="fresh_hit_rate", memory_peak="<= 48 MiB", stale_rate="<= 2 %")
print(f"pick: {pick.value(pick.candidate):.1%} fresh hits, today {pick.value(found.today):.1%}")
print(f"on the rest of the time: {pick.value(pick.candidate, 'rest'):.1%}, today {pick.value(found.today, 'rest'):.1%}")
alone = replay(trace, pick.plan)
print(f"replayed alone: {alone.fresh_hit_rate:.1%}, {alone.stale_rate:.2%} stale, {alone.memory_peak / 2**20:.1f} MiB")

hasty = found.choose(Aim(most="hit_rate"))
print(f"by hits alone, without limits: {hasty.candidate.name} has {hasty.value(hasty.candidate):.1%} hits, ", end="")
print(f"{hasty.candidate.measure('fresh_hit_rate'):.1%} fresh")

sharing = share_out(trace, Rules(nulls="keep", on_write="drop"), "4 MiB")  # on each server
for name in ("evenly", "by curves"):
    candidate = sharing.sweep[name]
    used = candidate.measure("memory_peak") / 2**20
    print(f"4 MiB a server {name}: {candidate.measure('hit_rate'):.1%} hits, {used:.1f} MiB used")

print(pick.plan.to_pandas().loc[["vessel", "weather"], ["max_entries", "absolute", "nulls"]])
