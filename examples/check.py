"""What each rule of the demo's plan earns, what is likely wrong with it, and the plan that is fixed."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace_file, plan_file = write_demo(folder)
    trace, plan = vg.read_trace(trace_file), vg.read_plan(plan_file)

found = vg.check(trace, plan)
print("likely mistake                          where                     costs of the fresh hits")
for mistake in found.mistakes:
    print(f"{mistake.kind:<40}{mistake.where:<26}{mistake.gain:.1%}")

print("\nwithout the rule                    fresh hits  stale hits  origin calls")
for rule in found.rules:
    effect = found.effect(rule.tried["without"])
    name = f"{rule.key} = {rule.value}"
    print(f"{name:<36}{effect['fresh_hits']:>+10,.0f}{effect['stale_hits']:>+12,.0f}{effect['loads']:>+14,.0f}")

print(f"\ntoday  {vg.replay(trace, plan).fresh_hit_rate:.1%} fresh hits")
print(f"fixed  {found.amount(found.fixed_name):.1%} fresh hits: {found.fixed_name}")
