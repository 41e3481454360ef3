"""Random traces and rules for both engines: small sizes, few keys, many ties in time."""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import time
from typing import Any

from hypothesis import strategies as st

from tests.agreement.origins import START, origins
from vestigo import Origin, Plan, Pool, Rules, Trace, read_trace
from vestigo.rules.eviction import POLICIES
from vestigo.rules.moments import Moments
from vestigo.rules.plan_fits import OF_A_WHOLE_LOOKUP
from vestigo.rules.preload import Preload
from vestigo.rules.stated import Stated
from vestigo.units import Duration

UNITS = [1, 10**9, 40 * 10**9, 3600 * 10**9]
"""A step of time in ns: so small that all is one slice, or so large that there are many."""

EVICTIONS = [
    *POLICIES,
    "random seed=7",
    "lru-k k=3 retained=5s",
    "slru protected=50%",
    "2q queue=50% ghosts=100%",
    "lirs passing=50%",
    "s3-fifo small=50%",
    "w-tinylfu window=40% protected=50% sample=2",
]


@dataclass(frozen=True)
class Case:
    trace: Trace
    plan: Plan


_missing = st.none()
_ops = st.sampled_from(["read"] * 12 + ["write"] * 3 + ["remove", "preload", "drop", "clear", "restart"])


def _rows(costs: bool, nodes: bool) -> st.SearchStrategy[list[tuple[object, ...]]]:
    return st.lists(
        st.tuples(
            st.sampled_from([0, 0, 0, 1, 1, 2, 3, 7]),  # time since the previous row
            _ops,
            st.sampled_from(["x", "x", "x", "y", None]),
            st.integers(0, 4),
            _missing | st.sampled_from([0, 1, 3, 10, 100]),
            (_missing | st.sampled_from([0, 1, 2, 3, 8])) if costs else st.just(0),
            _missing | st.booleans(),
            _missing | st.integers(0, 2),
            st.sampled_from([False] * 9 + [True]),
            st.sampled_from(["n", "n", "m", None]) if nodes else _missing,
            st.sampled_from(["s", "s", "t", "u", None]) if nodes else _missing,
        ),
        min_size=1,
        max_size=60,
    )


def trace_of(rows: list[tuple[object, ...]], unit: int) -> Trace:
    steps, op, lookup, key, size, cost, found, version, force, node, scope = map(list, zip(*rows, strict=True))
    at, now = [], START
    for step in steps:
        now += step * unit
        at.append(now)
    keyed = [o not in ("clear", "restart") for o in op]
    return read_trace(
        {
            "at": at,
            "op": op,
            "lookup": lookup,
            "key": [str(k) if has else None for k, has in zip(key, keyed, strict=True)],
            "size": size,
            "cost": [None if c is None else c * unit for c in cost],
            "found": found,
            "version": version,
            "force": force,
            "node": node,
            "scope": scope,
        }
    )


def _spans(unit: int) -> st.SearchStrategy[Duration | None]:
    return _missing | st.sampled_from([1, 2, 3, 5, 8]).map(lambda n: Duration(n * unit))


POOL = {
    "max_entries": _missing | st.integers(1, 4),
    "max_bytes": _missing | st.sampled_from([64, 80, 200, 400]),
    "eviction": st.sampled_from(EVICTIONS),
    "when_full": st.sampled_from(["evict", "evict", "refuse", "free 40%", "free 100%"]),
}


def _plain(unit: int) -> dict[str, st.SearchStrategy[object]]:
    """Rules that the plain replay knows."""
    return {
        "jitter": st.sampled_from(["0%", "0%", "50%", "100%"]),
        "drop_first": st.sampled_from([False] * 5 + [True]),
        "survives_restart": st.booleans(),
        "clear_every": _missing | _missing | _spans(unit).map(lambda span: span and Duration(5 * span)),
        "clear_at": _missing | _missing | _instants(unit),
        "lifetime_from": st.sampled_from(["stored", "asked"]),
        "absolute": _spans(unit),
        "sliding": _spans(unit),
        "nulls": st.sampled_from(["skip", "keep", "blind"]) | st.integers(1, 6).map(lambda n: f"keep {n * unit}ns"),
        "on_write": st.sampled_from(["leave", "drop", "replace"]),
        "overlap": st.sampled_from(["repeat", "join"]),
        "entry_overhead": st.sampled_from([0, 1, 64]),
        "hit_cost": st.sampled_from(["0s", "1us"]),
        "assume_size": st.sampled_from([1024, 7]),
        "assume_cost": st.sampled_from(["0s", "0s", f"{2 * unit}ns"]),
        "keep_if": _missing | _missing | _some_of(_conditions(unit)) | st.just("none"),
        "hit_cost_per_kib": st.sampled_from(["0s", "0s", "1ms"]),
    }


def _rich(unit: int) -> dict[str, st.SearchStrategy[object]]:
    """Rules that need the full replay."""
    return {
        "absolute_at": _missing | _missing | _instants(unit),
        "on_write": st.sampled_from(["leave", "drop", "replace", "replace, reload"]),
        "reload_after": _missing | st.sampled_from(["50%", "33.3%"]),
        "serve_stale": st.sampled_from([0, 0, 1, 4]).map(lambda n: f"{n * unit}ns"),
        "collect": st.sampled_from(["touch", "prompt", f"every {3 * unit}ns"]),
        "keep_if": _missing | _some_of([*_conditions(unit), "key = 1", "key != 2"]) | st.just("none"),
        "batch": _missing | _missing | _spans(unit),
        "pin": st.sampled_from([[], [], ["0"], ["{}"]]),
        "serve_on_failure": st.sampled_from([0, 2, 20]).map(lambda n: f"{n * unit}ns"),
        "keep_failures": st.sampled_from([0, 0, 1, 4]).map(lambda n: f"{n * unit}ns"),
        **preloads(unit),
    }


def preloads(unit: int) -> dict[str, st.SearchStrategy[object]]:
    """Both rules about preloads. They add rows to the trace, so the plain replay knows them on the other look-ups."""
    moments = _instants(unit).flatmap(lambda some: st.booleans().map(lambda at_start: Preload(at_start, some)))
    return {
        "preload": _missing | _missing | _missing | st.just("start") | moments,
        "preload_cost": _missing | st.sampled_from([0, 2, 9]).map(lambda n: f"{n * unit}ns"),
    }


def _conditions(unit: int) -> list[str]:
    """Conditions on single values."""
    return ["size <= 10 B", "size > 0 B", f"cost < {3 * unit}ns", f"cost >= {unit}ns"]


def _some_of(conditions: list[str]) -> st.SearchStrategy[list[str]]:
    return st.lists(st.sampled_from(conditions), min_size=1, max_size=2)


def _instants(unit: int) -> st.SearchStrategy[Moments]:
    """Single instants, or a time of day if the trace is long enough."""
    some = st.lists(st.integers(0, 30), min_size=1, max_size=3, unique=True)
    instants = some.map(lambda steps: Moments(("at",), (), tuple(sorted(START + step * unit for step in steps))))
    return instants | st.just(Moments(("00:30",), (time(0, 30),), ()))


def _whose(unit: int) -> st.SearchStrategy[dict[str, object]]:
    """Whose cache it is: the same for all look-ups of a pool."""
    nodes = st.fixed_dictionaries(
        {
            "per": st.just("node"),
            "tell_nodes": st.sampled_from(["nothing", "drop", "copy"]),
            "tell_delay": st.sampled_from([0, 1, 3]).map(lambda n: f"{n * unit}ns"),
        }
    )
    return nodes | st.sampled_from(["all", "scope"]).map(lambda per: {"per": per})


_SHARED_OR_NOT: st.SearchStrategy[dict[str, object]] = st.sampled_from(["node", "all"]).map(lambda per: {"per": per})


def fitting(rules: dict[str, object]) -> Rules:
    """The rules without those that contradict the others."""
    if str(rules["eviction"]) == "belady":
        rules["tell_nodes"] = "nothing"
        if rules["on_write"] == "drop":
            rules["on_write"] = "leave"
    if rules.get("per", "node") != "node":
        rules.pop("tell_nodes", None)
    if rules.get("tell_nodes", "nothing") == "nothing":
        rules.pop("tell_delay", None)
    if rules["max_entries"] is None and rules["max_bytes"] is None:
        del rules["when_full"]
    if rules["max_entries"] is not None and rules.get("pin"):
        rules["pin"] = ["0"] if rules["max_entries"] > 2 else []  # in each of two look-ups
    if rules.get("per") == "scope" or rules.get("preload") is None:
        rules.pop("preload", None)
        rules.pop("preload_cost", None)
    if rules["absolute"] is None:
        for name in ("jitter", "reload_after"):
            rules.pop(name, None)
    if not (
        rules["absolute"] or rules["sliding"] or rules.get("absolute_at") or str(rules["nulls"]).startswith("keep ")
    ):
        for name in ("serve_stale", "serve_on_failure", "collect"):
            rules.pop(name, None)
    return Rules(zone="UTC", **rules)


RULES_DRAWN = {*POOL, *_plain(1), *_rich(1), "zone", "per", "tell_nodes", "tell_delay"}
"""What random cases are made of; another test says which rules are missing."""


@st.composite
def cases(draw: st.DrawFn) -> Case:
    """Random cases. The plain replay knows half of them."""
    unit, rich = draw(st.sampled_from(UNITS)), draw(st.booleans())
    trace = trace_of(draw(_rows(draw(st.booleans()), draw(st.booleans()))), unit)
    reads = draw(st.sampled_from([0, 0, 1, 5]))
    warm_up: Duration | int = draw(st.sampled_from([reads, Duration(reads * unit)]))
    if warm_up >= trace.reads or (isinstance(warm_up, Duration) and warm_up > trace.span_ns):
        warm_up = 0
    names = {**_plain(unit), **(_rich(unit) if rich else {})}

    def rules(fixed: dict[str, object]) -> Rules:
        return fitting(draw(st.fixed_dictionaries(names)) | fixed)

    whose = draw(_whose(unit) if rich else _SHARED_OR_NOT)
    pool = draw(st.fixed_dictionaries(POOL))
    common = rules(pool | whose)
    shared = {"all": _pool(pool, trace.lookups)} if trace.lookups and draw(st.booleans()) else {}
    lookups = {
        name: _whole(
            rules(
                (pool if shared else draw(st.fixed_dictionaries(POOL)))
                | (whose if shared or draw(st.booleans()) else {})
            )
        )
        for name in trace.lookups
        if draw(st.booleans())
    }
    keys = {}
    if rich:
        for name in trace.lookups:
            of_all = lookups.get(name, _whole(common))
            own = {rule: of_all[rule] for rule in OF_A_WHOLE_LOOKUP}
            keys[name] = {
                pattern: {rule: value for rule, value in _whole(rules(own)).items() if rule not in own}
                for pattern in draw(st.sampled_from([[], [], ["0"], ["{}"]]))
            }
    answering = draw(origins(unit, trace.lookups))
    return Case(trace, Plan(common, lookups, keys, shared, warm_up=warm_up, **answering))


def without(plan: Plan, *gone: str) -> Plan:
    """The plan without some rules in any of its tables (``"max_bytes"``, ``"eviction=gdsf"``), and without origins."""

    def left(stated: Mapping[str, object]) -> dict[str, Any]:
        return {name: value for name, value in stated.items() if not {name, f"{name}={value}"} & set(gone)}

    return dataclasses.replace(
        plan,
        rules=Rules(**left(Stated.by(plan.rules))),
        lookups={name: left(Stated.by(own)) for name, own in plan.lookups.items()},
        keys={name: {text: left(Stated.by(own)) for text, own in each.items()} for name, each in plan.keys.items()},
        pools={
            name: Pool(**left({rule: getattr(own, rule) for rule in own.model_fields_set}))
            for name, own in plan.pools.items()
        },
        origin=Origin(),
        origins={},
    )


def _whole(rules: Rules) -> dict[str, object]:
    """The rules as a layer that leaves nothing to the layers below."""
    return {name: getattr(rules, name) for name in Rules.model_fields}


def _pool(pool: dict[str, object], lookups: tuple[str, ...]) -> Pool:
    limited = pool["max_entries"] is not None or pool["max_bytes"] is not None
    return Pool(lookups=lookups, **{name: value for name, value in pool.items() if limited or name != "when_full"})
