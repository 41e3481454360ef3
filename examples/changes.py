"""What a write does to an entry, on the writing server and on the others: the look-up of the demo that changes most."""

import tempfile

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])

RULES = {
    "leave": vg.Rules(absolute="4h"),
    "drop": vg.Rules(absolute="4h", on_write="drop"),
    "replace": vg.Rules(absolute="4h", on_write="replace"),
    "drop, told": vg.Rules(absolute="4h", on_write="drop", tell_nodes="drop"),
    "replace, copied": vg.Rules(absolute="4h", on_write="replace", tell_nodes="copy"),
    "reload, copied": vg.Rules(absolute="4h", on_write="replace, reload", tell_nodes="copy"),
    "remove, then read": vg.Rules(absolute="4h", drop_first=True),
}
print("berth             hit rate   stale  origin calls  origin time  raced")
for name, rules in RULES.items():
    berth = vg.replay(trace, rules).lookups["berth"]
    print(
        f"{name:<18}{berth.hit_rate:>8.1%}{berth.stale_rate:>8.1%}{berth.loads:>14,}"
        f"{berth.origin_time_ns / 1e9:>11.0f} s{berth.raced:>7,}"
    )
