"""One cache, one a server, one a request? The demo's four servers, and what they must tell each other."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

KEPT = {"absolute": "4h", "on_write": "drop"}
RULES = {
    "one for all": vg.Rules(per="all", **KEPT),
    "each its own": vg.Rules(**KEPT),
    "told in 2s": vg.Rules(tell_nodes="drop", tell_delay="2s", **KEPT),
    "copied in 2s": vg.Rules(tell_nodes="copy", tell_delay="2s", **KEPT),
    "in a request": vg.Rules(per="scope", **KEPT),
}
print("berth         hit rate   stale  origin calls  memory peak")
for name, rules in RULES.items():
    berth = vg.replay(trace, rules).lookups["berth"]
    print(
        f"{name:<14}{berth.hit_rate:>8.1%}{berth.stale_rate:>8.1%}{berth.loads:>14,}"
        f"{berth.memory_peak / 1024:>9.1f} KiB"
    )

print("\nservers       hit rate  origin calls  memory peak")
for nodes in (1, 2, 4, 8, 16):
    outcome = vg.replay(trace, vg.Plan(vg.Rules(absolute="4h"), what_if=vg.WhatIf(nodes=nodes)))
    print(f"{nodes:<14}{outcome.hit_rate:>8.1%}{outcome.loads:>14,}{outcome.memory_peak / 2**20:>9.1f} MiB")
