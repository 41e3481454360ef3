"""How long should a kept answer live? Lifetimes and how they end, on two look-ups of the demo."""

import tempfile
from typing import Any

import vestigo as vg
from vestigo.demo.files import write_demo

with tempfile.TemporaryDirectory() as folder:
    trace = vg.shape.only(vg.read_trace(write_demo(folder)[0]), lookups=["berth", "weather"])

RULES: dict[str, dict[str, Any]] = {
    "absolute 5s": {"absolute": "5s"},
    "absolute 1m": {"absolute": "1m"},
    "absolute 10m": {"absolute": "10m"},
    "absolute 1h": {"absolute": "1h"},
    "never": {},
    "sliding 10m": {"sliding": "10m"},
    "10m, jitter 20%": {"absolute": "10m", "jitter": "20%"},
    "10m, reload 80% ": {"absolute": "10m", "reload_after": "80%"},
    "10m, stale 1m": {"absolute": "10m", "serve_stale": "1m"},
    "10m, prompt": {"absolute": "10m", "collect": "prompt"},
}
print("berth             hit rate   stale  oldest answer  read p99  most in a second  memory")
for name, rules in RULES.items():
    berth = vg.replay(trace, vg.Rules(**rules)).lookups["berth"]
    print(
        f"{name:<16}{berth.hit_rate:>10.1%}{berth.stale_rate:>8.1%}{berth.oldest_stale_ns / 60e9:>11.1f} min"
        f"{berth.read_time(99) * 1e3:>7.0f} ms{berth.surge_second:>18}{berth.memory_mean / 1024:>6.1f} K"
    )

EVERY_TEN = [f"{hour:02}:{minute:02}" for hour in range(24) for minute in range(0, 60, 10)]
ENDS: dict[str, dict[str, Any]] = {
    "absolute 10m": {"absolute": "10m"},
    "absolute 2m": {"absolute": "2m"},
    "on the clock": {"absolute_at": EVERY_TEN, "zone": "UTC"},
}
print("\nweather           hit rate   stale")
for name, rules in ENDS.items():
    weather = vg.replay(trace, vg.Rules(**rules)).lookups["weather"]
    print(f"{name:<16}{weather.hit_rate:>10.1%}{weather.stale_rate:>8.1%}")
