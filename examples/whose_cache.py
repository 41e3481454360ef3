"""One cache, one a server, one a request? The demo's four servers, and what they must tell each other."""

import tempfile
from functools import partial

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

kept = partial(vg.Rules, absolute="4h", on_write="drop")
RULES = {
    "one for all": kept(per="all"),
    "each its own": kept(),
    "told in 2s": kept(tell_nodes="drop", tell_delay="2s"),
    "copied in 2s": kept(tell_nodes="copy", tell_delay="2s"),
    "in a request": kept(per="scope"),
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
