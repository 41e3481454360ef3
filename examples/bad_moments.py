"""A restart, a clear, an expiry that comes all at once: how many origin calls the busiest second and minute see."""

import tempfile
from typing import Any

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.read_trace(write_demo(folder)[0])
trace = vg.shape.only(trace, lookups=["berth", "notice", "tide", "vessel", "weather"])  # no crawl of all charts

KEPT: dict[str, Any] = {"absolute": "4h", "nulls": "keep"}
RULES: dict[str, dict[str, Any]] = {
    "as it is": {},
    "cleared at 08:00": {"clear_at": "08:00", "zone": "UTC"},
    "cleared hourly": {"clear_every": "1h"},
    "survives": {"survives_restart": True},
    "join": {"overlap": "join"},
    "batch 50ms": {"batch": "50ms"},
}
AT_HALF_PAST_EIGHT = vg.WhatIf(restart_at="08:30", zone="UTC")
RESTARTED: dict[str, dict[str, Any]] = {
    "restart at 08:30": {},
    "with a preload": {"preload": "start", "preload_cost": "10s"},
}


def show(name: str, outcome: vg.Outcome) -> None:
    print(
        f"{name:<18}{outcome.hit_rate:>8.1%}{outcome.loads:>14,}{outcome.surge_second:>13,}{outcome.surge_minute:>13,}"
        f"{outcome.read_time(99) * 1e3:>7.0f} ms"
    )


print("                  hit rate  origin calls  in a second  in a minute  read p99")
for name, rules in RULES.items():
    show(name, vg.replay(trace, vg.Rules(**KEPT, **rules)))
for name, rules in RESTARTED.items():
    show(name, vg.replay(trace, vg.Plan(vg.Rules(**KEPT, **rules), what_if=AT_HALF_PAST_EIGHT)))
