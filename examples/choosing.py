"""From a recording to settings on the demo: how little room is enough, what is found, how good it is, other limits."""

import tempfile
from dataclasses import replace

from vestigo import read_plan, read_trace, replay, search, size_curve
from vestigo.demo import files

with tempfile.TemporaryDirectory() as folder:
    trace_path, plan_path = files.write_demo(folder)
    trace, plan = read_trace(trace_path), read_plan(plan_path)

for lookup in ("vessel", "chart"):
    curve = size_curve(trace, plan, lookup=lookup)
    enough = curve.enough_entries
    print(f"{lookup}: {enough:,} entries a server have {curve.hit_rate(enough):.1%}, no limit {curve.ceiling:.1%}")

few = {
    "each.absolute": "any",
    "each.sliding": ["5m", "never"],
    "each.nulls": ["skip", "keep"],
    "each.max_entries": "any",
}
found = search(trace, replace(plan, candidates={}, vary=few))
pick = found.choose()
print(f"found: {pick.value(pick.candidate):.1%} fresh hits, today {pick.value(found.today):.1%}")
print(f"nothing else that was tried gives more than {pick.proof.bound:.1%}" if pick.proof else "")
print(f"on the rest of the time: {pick.value(pick.candidate, 'rest'):.1%}, today {pick.value(found.today, 'rest'):.1%}")
alone = replay(trace, pick.plan)
print(f"replayed alone: {alone.fresh_hit_rate:.1%}, {alone.stale_rate:.2%} stale, {alone.memory_peak / 2**20:.1f} MiB")

for limit in ("<= 16 MiB", "<= 4 MiB"):
    print(f"memory {limit}: {found.choose(memory_peak=limit).candidate.fresh_hit_rate:.1%} fresh hits")
for one in found.would_bring[:2]:
    print(f"{one.kind} ({', '.join(one.rules)}) would bring {one.gain:.1%} more, by {', '.join(one.lookups)}")

print(pick.plan.to_pandas().loc[["vessel", "notice"], ["max_entries", "absolute", "nulls"]])
