"""How long should a kept answer live? One trace, five lifetimes: what is gained, and how old the answers get."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

print("lifetime  hit rate   stale  oldest answer")
for lifetime in ("5s", "1m", "10m", "1h", "never"):
    berth = vg.replay(trace, vg.Rules(absolute=lifetime)).lookups["berth"]
    print(f"{lifetime:<8}{berth.hit_rate:>10.1%}{berth.stale_rate:>8.1%}{berth.oldest_stale_ns / 60e9:>11.1f} min")
