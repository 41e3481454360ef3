"""Traces for `test_mistakes.py`: for each kind of mistake, one that shows it, and a similar one that does not."""

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

import numpy as np

import vestigo as vg
from vestigo.units import SECOND

DAY = 86_400


class Made(NamedTuple):
    kind: str
    rules: dict[str, Any]
    make: Callable[[bool], vg.Trace]
    """Makes a trace that shows the mistake, or does not."""
    plan: Mapping[str, Any] = MappingProxyType({})


def table(at: Any, key: Any, **columns: Any) -> vg.Trace:
    """A trace from rows, with times in seconds."""
    rows = {"key": key, **columns}
    order = np.argsort(np.asarray(at, float), kind="stable").tolist()
    times = [int(at[place] * SECOND) for place in order]
    return vg.read_trace({"at": times} | {name: [values[place] for place in order] for name, values in rows.items()})


def every(seconds: float, times: int, keys: int = 1, **columns: Any) -> vg.Trace:
    """Keys that are read in turn, at equal distances."""
    return table(np.arange(times) * seconds, [f"k{one % keys}" for one in range(times)], **columns)


def _changing(seconds: float, times: int, changes_after: int) -> vg.Trace:
    return every(seconds, times, version=[one // changes_after for one in range(times)])


def _daily(shows: bool) -> vg.Trace:
    """Twelve keys over four days, read every half hour. They change at six, or at any time."""
    at = np.arange(0, 4 * DAY, 1800.0)
    moves = np.zeros(12) if shows else np.arange(12) * 7200.0
    rows = [
        (time + number, f"k{number}", int((time - 6 * 3600 + moves[number]) // DAY) + 2)
        for time in at
        for number in range(12)
    ]
    return _of(rows)


def _of(rows: list[tuple[float, str, int]]) -> vg.Trace:
    at, key, version = (list(one) for one in zip(*rows, strict=True))
    return table(at, key, version=version)


def _together(shows: bool) -> vg.Trace:
    """A hundred keys that are read every ten seconds, all of them in one second or one after the other."""
    rows = [
        (round_ * 10 + (0 if shows else number / 10), f"k{number}") for round_ in range(60) for number in range(100)
    ]
    at, key = (list(one) for one in zip(*rows, strict=True))
    return table(at, key, cost=[SECOND // 1000] * len(rows))


def _sizes(shows: bool) -> vg.Trace:
    """A hundred large values once, then small ones again and again."""
    keys = [f"large{one}" if one < 100 else f"small{(one * 7) % 200}" for one in range(3000)]
    return table(np.arange(3000), keys, size=[1_000_000 if shows and one < 100 else 1_000 for one in range(3000)])


def _loop(keys: int, times: int = 1500) -> vg.Trace:
    return every(1, times, keys)


def _nulls(shows: bool) -> vg.Trace:
    return every(1, 400, 20, found=[not shows or one % 20 > 10 for one in range(400)])


def _created(shows: bool) -> vg.Trace:
    """Twenty keys that do not exist. Half of them are created later."""
    at, keys = np.arange(1000), [f"k{one % 20}" for one in range(1000)]
    ops = ["write" if shows and 200 <= one < 210 else "read" for one in range(1000)]
    found = [shows and one >= 200 and (one % 20) < 10 for one in range(1000)]
    return table(at, keys, op=ops, found=found)


def _written(shows: bool) -> vg.Trace:
    ops = ["write" if shows and one % 7 == 3 else "read" for one in range(1400)]
    return every(1, 1400, 10, op=ops)


def _two_nodes(shows: bool) -> vg.Trace:
    """Two nodes read the same keys; one writes them, or nobody does."""
    ops = ["write" if shows and one % 20 == 7 else "read" for one in range(2000)]
    return table(
        np.arange(2000),
        [f"k{one % 5}" for one in range(2000)],
        op=ops,
        node=["n" if one % 2 else "m" for one in range(2000)],
    )


def _scopes(shows: bool) -> vg.Trace:
    """Pages of ten reads, of ten keys once, or of two keys again and again."""
    keys = [f"k{one % (10 if shows else 2)}" for one in range(1000)]
    return table(np.arange(1000), keys, scope=[f"page{one // 10}" for one in range(1000)])


def _refreshed(shows: bool) -> vg.Trace:
    """Keys that are read twice, the second time when a reload is due; or every second."""
    if shows:
        at = [begin * 20.0 + later for begin in range(200) for later in (0, 9.5)]
        return table(at, [f"k{one // 2}" for one in range(400)])
    return every(1, 1000)


def _too_large(shows: bool) -> vg.Trace:
    """Values of 32 MiB that take 9 s to load, or of 1 MiB, beside small ones of another look-up."""
    rows = range(600)
    large = [one % 2 == 0 for one in rows]
    return table(
        rows,
        [f"k{one % 6}" for one in rows],
        lookup=["film" if one else "still" for one in large],
        size=[(32 if shows else 1) * 2**20 if one else 1000 for one in large],
        cost=[9 * SECOND if one else SECOND // 100 for one in large],
    )


def _pages(shows: bool) -> vg.Trace:
    """Sixty pages, each of which loads 25 keys one by one, or one key."""
    keys = 25 if shows else 1
    rows = [(page * 60 + key / 100, f"k{page * 25 + key}", f"page{page}") for page in range(60) for key in range(keys)]
    at, key, scope = (list(one) for one in zip(*rows, strict=True))
    return table(at, key, scope=scope, cost=[SECOND // 50] * len(rows))


def _cleared(shows: bool) -> vg.Trace:
    """A hundred clears of a look-up, or three."""
    ops = ["clear" if one % (20 if shows else 700) == 19 else "read" for one in range(2000)]
    return table(
        range(2000),
        [None if op == "clear" else f"k{one % 9}" for one, op in enumerate(ops)],
        op=ops,
        lookup=["berth"] * 2000,
    )


def _narrow(shows: bool) -> vg.Trace:
    return table(np.arange(300), [f"chart/{one % 7}/{one if shows else one % 3}" for one in range(300)])


MADE = [
    Made("lifetime too short", {"absolute": "5ms"}, lambda shows: every(1 if shows else 0.0001, 500, 5)),
    Made("lifetime longer than the trace", {"absolute": "1h"}, lambda shows: every(1 if shows else 100, 500, 5)),
    Made("trace of fewer than three lifetimes", {"absolute": "4m"}, lambda shows: every(1 if shows else 10, 500, 5)),
    Made("sliding without absolute", {"sliding": "10s"}, lambda shows: _changing(5 if shows else 20, 400, 50)),
    Made(
        "lifetime longer than the data's own",
        {"absolute": "10m"},
        lambda shows: _changing(1, 2000, 20 if shows else 2000),
    ),
    Made("data that turns over on the clock", {"absolute": "12h"}, _daily),
    Made(
        "schedule that sends a surge",
        {"clear_every": "5m"},
        lambda shows: every(0.01 if shows else 1, 40_000 if shows else 2000, 60),
        {"warm_up": "2s"},
    ),
    Made("common expiry that sends a surge", {"absolute": "100s"}, _together, {"warm_up": "11s"}),
    Made("limit never reached", {"max_entries": 100}, lambda shows: _loop(10 if shows else 90)),
    Made("limit far below what is read", {"max_entries": 10}, lambda shows: _loop(30 if shows else 8)),
    Made("limit in entries where sizes differ", {"max_entries": 50}, _sizes),
    Made(
        "policy that makes no difference",
        {"max_entries": 10, "eviction": "s3-fifo"},
        lambda shows: every(1, 500, 500) if shows else _loop(14),
    ),
    Made("policy that would do better", {"max_entries": 20}, lambda shows: _loop(24) if shows else every(1, 500, 500)),
    Made("nulls not kept", {}, _nulls),
    Made("nulls kept beyond the creation of things", {"nulls": "keep"}, _created),
    Made("nulls kept and not believed", {"nulls": "blind"}, _nulls),
    Made(
        "entries dropped before they are read", {"drop_first": True}, lambda shows: every(1, 100, 10 if shows else 100)
    ),
    Made("entries left when their key is written", {}, _written),
    Made("entries dropped where replacing costs nothing", {"on_write": "drop"}, _written),
    Made("nodes that do not hear of writes", {"on_write": "drop"}, _two_nodes),
    Made("a cache for each scope, where nothing repeats in one", {"per": "scope"}, _scopes),
    Made(
        "many readers load one key at once",
        {"absolute": "10s"},
        lambda shows: every(1, 600, cost=[(4 if shows else 0) * SECOND] * 600),
    ),
    Made("reloads that load more than they save", {"absolute": "10s", "reload_after": "90%"}, _refreshed),
    Made(
        "hits that cost more than the origin",
        {"hit_cost": "50ms"},
        lambda shows: every(1, 100, 5, cost=[(10 if shows else 100) * SECOND // 1000] * 100),
    ),
    Made("a look-up that needs no cache", {}, lambda shows: every(1, 200, 200 if shows else 20, cost=[SECOND] * 200)),
    Made(
        "pattern that matches no key",
        {"pin": ["x/{...}"]},
        lambda shows: table(range(4), ["a", "b", "a", "b" if shows else "x/b"]),
    ),
    Made(
        "pattern that matches no key",
        {"keep_if": ["key != x/{...}"]},
        lambda shows: table(range(4), ["a", "b", "a", "b" if shows else "x/b"]),
    ),
    Made(
        "pattern that matches no key",
        {},
        lambda shows: table(range(4), ["a", "b", "a", "b" if shows else "x/b"]),
        {"keys": {"reads": {"x/{...}": {"absolute": "1m"}}}},
    ),
    Made("values that never fit", {"max_bytes": "8 MiB"}, _too_large),
    Made("single loads that could share a call", {}, _pages),
    Made("a look-up that is cleared again and again", {}, _cleared),
    Made("keys that are too narrow", {}, _narrow),
]
