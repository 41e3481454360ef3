"""What to do when the origin has nothing: four rules on two look-ups of the demo that often find nothing."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

for lookup in ("vessel", "notice"):
    print(f"{lookup:<10}  null hits  hit rate  origin calls  wrong nulls  memory peak")
    for nulls in ("skip", "keep", "keep 10m", "blind"):
        found = vg.replay(trace, vg.Rules(absolute="12h", nulls=nulls)).lookups[lookup]
        print(
            f"{nulls:<10}{found.nulls_hit:>11,}{found.hit_rate:>10.1%}{found.loads:>14,}{found.false_nulls:>13,}"
            f"{found.memory_peak / 1024:>9.0f} KiB"
        )
