"""Why did this key miss, and why was this answer old? The demo's worst keys, and one stale read."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace_file, plan_file = write_demo(folder)
    trace, plan = vg.read_trace(trace_file), vg.read_plan(plan_file)

keys = vg.key_by_key(trace, plan)
for number in keys.worst("misses", 3):
    story = vg.why(trace, plan, lookup=trace.lookups[trace.key_lookup[number]], key=trace.keys[number])
    causes = ", ".join(f"{count:,} {cause}" for cause, count in story.total["misses_by_cause"].items())
    print(f"{story.lookup} {story.key}: {story.total['reads']:,} reads, {story.total['misses']:,} misses ({causes})")
    for advice in story.advice[:1]:
        print(f"  with {advice.in_words}: {advice.hits:+,} hits, {advice.stale_hits:+,} of them stale")

story = vg.why(trace, plan, lookup="berth", key="A2", node="quay-4", at="2026-03-17 00:35:17.837Z")
print(f"\n{story.read}")
for step in story.steps[3:8]:
    print(f"  {step}")
