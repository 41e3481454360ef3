"""Every eviction policy on the demo: hit rates of the two look-ups that do not fit, with room for 100 entries each."""

import tempfile

from vestigo import Rules, read_trace, replay
from vestigo.demo import files
from vestigo.rules.eviction import POLICIES

with tempfile.TemporaryDirectory() as folder:
    path, _ = files.write_demo(folder)
    trace = read_trace(path)

print("policy        vessel   chart  origin time")
for name in POLICIES:
    outcome = replay(trace, Rules(max_entries=100, eviction=name))
    vessel, chart = (outcome.lookups[lookup].hit_rate for lookup in ("vessel", "chart"))
    print(f"{name:<12}{vessel:>8.1%}{chart:>8.1%}{outcome.origin_time_ns / 1e9:>11.0f} s")
