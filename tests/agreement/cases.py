"""Random traces and rules for both engines: small sizes, few keys, many ties in time."""

from dataclasses import dataclass

from hypothesis import strategies as st

from vestigo import Plan, Rules, Trace
from vestigo.rules.eviction import POLICIES
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
_ops = st.sampled_from(["read"] * 12 + ["write"] * 3 + ["remove", "clear", "restart"])


def _rows(costs: bool) -> st.SearchStrategy[list[tuple[object, ...]]]:
    return st.lists(
        st.tuples(
            st.sampled_from([0, 0, 0, 1, 1, 2, 3, 7]),  # time since the row before
            _ops,
            st.sampled_from(["x", "x", "x", "y", None]),
            st.integers(0, 4),
            _missing | st.sampled_from([0, 1, 3, 10, 100]),
            (_missing | st.sampled_from([0, 1, 2, 3, 8])) if costs else st.just(0),
            _missing | st.booleans(),
            _missing | st.integers(0, 2),
            st.sampled_from([False] * 9 + [True]),
        ),
        min_size=1,
        max_size=60,
    )


def trace_of(rows: list[tuple[object, ...]], unit: int) -> Trace:
    steps, op, lookup, key, size, cost, found, version, force = map(list, zip(*rows, strict=True))
    at, now = [], 1_700_000_000 * 10**9
    for step in steps:
        now += step * unit
        at.append(now)
    keyed = [o in ("read", "write", "remove") for o in op]
    return Trace.from_table(
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
        }
    )


def _spans(unit: int) -> st.SearchStrategy[Duration | None]:
    return _missing | st.sampled_from([1, 2, 3, 5, 8]).map(lambda n: Duration(n * unit))


def _rules(unit: int) -> st.SearchStrategy[Rules]:
    return st.builds(
        _fitting,
        max_entries=_missing | st.integers(1, 4),
        max_bytes=_missing | st.sampled_from([64, 80, 200, 400]),
        eviction=st.sampled_from(EVICTIONS),
        when_full=st.sampled_from(["evict", "evict", "refuse", "trim 40%", "trim 100%"]),
        jitter=st.sampled_from(["0%", "0%", "50%", "100%"]),
        drop_first=st.sampled_from([False] * 5 + [True]),
        survives_restart=st.booleans(),
        clear_every=_missing | _missing | _spans(unit).map(lambda span: span and Duration(5 * span)),
        absolute=_spans(unit),
        sliding=_spans(unit),
        nulls=st.sampled_from(["skip", "keep", "blind"]) | st.integers(1, 6).map(lambda n: f"keep {n * unit}ns"),
        on_write=st.sampled_from(["leave", "drop", "replace"]),
        overlap=st.sampled_from(["repeat", "join"]),
        entry_overhead=st.sampled_from([0, 1, 64]),
        hit_cost=st.sampled_from(["0s", "1us"]),
    )


def _fitting(**rules: object) -> Rules:
    if rules["eviction"] == "belady" and rules["on_write"] == "drop":
        rules["on_write"] = "leave"
    if rules["max_entries"] is None and rules["max_bytes"] is None:
        del rules["when_full"]
    if rules["absolute"] is None:
        del rules["jitter"]
    return Rules(**rules)


@st.composite
def cases(draw: st.DrawFn) -> Case:
    unit = draw(st.sampled_from(UNITS))
    trace = trace_of(draw(_rows(draw(st.booleans()))), unit)
    reads = draw(st.sampled_from([0, 0, 1, 5]))
    warm_up: Duration | int = draw(st.sampled_from([reads, Duration(reads * unit)]))
    if warm_up >= trace.reads or (isinstance(warm_up, Duration) and warm_up > trace.span_ns):
        warm_up = 0
    rules = draw(_rules(unit))
    lookups = {name: draw(_rules(unit)) for name in trace.lookups if draw(st.booleans())}
    return Case(trace, Plan(rules, lookups, warm_up=warm_up))
