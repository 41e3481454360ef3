"""What could be different in life from what a plan says: other settings in force, other nodes, a cold start."""

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from typing import Any, NamedTuple

from vestigo.engine.what_if import on_nodes
from vestigo.rules import Plan, Pool
from vestigo.rules.eviction import POLICIES
from vestigo.rules.plan_text import rule_text
from vestigo.study.round import ROUND
from vestigo.trace import Trace
from vestigo.units import Duration, counted

_TIMES = tuple(Fraction(text) for text in ("1/10", "1/4", "1/2", "3/4", "3/2", "2", "4", "10"))
_NODES = (1, 2, 3, 4, 6, 8)
_DIGITS = 2
_LIMITS = ("max_entries", "max_bytes")
_LIFETIMES = ("absolute", "sliding")
_IN_WORDS: Mapping[str, Mapping[Any, str]] = {
    "nulls": {"skip": "nulls are not kept", "keep": "nulls are kept"},
    "on_write": {
        "leave": "writes are not seen: they leave what is held",
        "drop": "writes drop what is held",
        "replace": "writes put the new value in place",
    },
    "drop_first": {True: "callers remove an entry before they read it"},
    "per": {"all": "all nodes share one cache", "node": "each node has a cache of its own"},
}


class Otherwise(NamedTuple):
    """One thing that is otherwise: rules for every look-up, or the trace that is replayed."""

    what: str
    rules: Mapping[str, Any] = {}
    amount: Any = None
    """The value of a rule that is an amount, which can be refined."""
    on: Callable[[Trace], Trace] | None = None
    is_cold: bool = False
    """Whether the cache was empty when counting began."""


def otherwise(trace: Trace, plan: Plan) -> Iterator[Otherwise]:
    rules = [plan.rules_for(name) for name in trace.lookups]
    pools = [plan.pool_rules(name) for name in trace.lookups]
    yield Otherwise("the cache began empty when the counting did", is_cold=True)
    yield from _nodes(trace, plan)
    for rule in _LIMITS:
        yield from _amounts(rule, {getattr(pool, rule) for pool in pools} - {None}, "no limit")
    if not any(pool.max_entries or pool.max_bytes for pool in pools):
        sizes = (10**power for power in range(1, 7) if 10**power < len(trace.keys))
        yield from (_amount("max_entries", size) for size in sizes)
    for rule in _LIFETIMES:
        stated = {getattr(one, rule) for one in rules} - {None}
        yield from _amounts(rule, stated, "never")
        if not stated:
            spans = (span for span in ROUND[::3] if trace.span_ns // 1000 < span < trace.span_ns)
            yield from (_amount(rule, span) for span in spans)
    for rule, ways in _IN_WORDS.items():
        for value, what in ways.items():
            stated = {getattr(one, rule) for one in rules}
            if any(str(one) != str(value) for one in stated) and not (rule == "per" and len(trace.nodes) < 2):
                yield Otherwise(what, {rule: value})
    if any(pool.max_entries or pool.max_bytes for pool in pools):
        names = {pool.eviction.name for pool in pools}
        yield from (
            Otherwise(f"it evicts as {name} does", {"eviction": name})
            for name in POLICIES
            if name != "belady" and names != {name}
        )


def _amounts(rule: str, stated: set[Any], without: str) -> Iterator[Otherwise]:
    for value in sorted(stated):
        for times in _TIMES:
            yield _amount(rule, type(value)(max(int(value * times), 1)))
    if stated:
        yield Otherwise(f"there is no {rule}", {rule: without})


def _amount(rule: str, value: Any) -> Otherwise:
    return Otherwise(f"{rule} = {rule_text(rule, value)} is in force", {rule: _plain(value)}, value)


def refined(one: Otherwise, times: Fraction) -> Otherwise | None:
    """The same with a multiple of its amount, or None if it has no amount."""
    if one.amount is None:
        return None
    (rule,) = one.rules
    value = type(one.amount)(max(round(one.amount * times), 1))
    if isinstance(value, Duration):
        value = Duration(round(value, 1 - len(str(int(value))) + _DIGITS - 1))  # to be read
    return _amount(rule, value) if value != one.amount else None


def _plain(value: Any) -> Any:
    return str(value) if isinstance(value, Duration) else value


def _nodes(trace: Trace, plan: Plan) -> Iterator[Otherwise]:
    """The reads come to other nodes than the trace says, and each node has its own cache."""
    if any(plan.rules_for(name).per != "node" for name in trace.lookups):
        return
    for count in _NODES:
        if count != max(len(trace.nodes), 1):
            what = f"the reads are spread over {counted(count, 'node')}{', a cache each' if count > 1 else ''}"
            yield Otherwise(what, on=lambda trace, count=count: on_nodes(trace, count))  # type: ignore[misc]


def is_of_pools(rules: Mapping[str, Any]) -> bool:
    return any(rule in Pool.model_fields for rule in rules)
