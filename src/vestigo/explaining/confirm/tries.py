"""What a running cache may do differently from what a plan says: other settings, other nodes, a cold start."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from typing import Any, NamedTuple

from vestigo.engine.what_if import on_nodes
from vestigo.rounding import ROUND
from vestigo.rules import Plan, Pool
from vestigo.rules.eviction import POLICIES
from vestigo.rules.plan_text import rule_text
from vestigo.trace import Trace
from vestigo.units import SECOND, Duration, counted

_NEAR = tuple(
    Fraction(text)
    for text in ("19/20", "21/20", "9/10", "11/10", "3/4", "5/4", "1/2", "3/2", "1/4", "2", "1/10", "4", "10")
)
_SLIPS = {
    Fraction(1, 1000): "a thousandth of",
    Fraction(1, 60): "a sixtieth of",
    Fraction(60): "60 times",
    Fraction(1000): "1,000 times",
}
"""What mixed-up units make of a duration."""
_FARTHEST = 20
_NODES = (1, 2, 3, 4, 6, 8)
_DIGITS = 2
_CLOSE = Fraction(6, 100)
_LIMITS = ("max_entries", "max_bytes")
_LIFETIMES = ("absolute", "sliding")
_UNITS_NS = (86_400 * SECOND, 3600 * SECOND, 60 * SECOND, SECOND, SECOND // 1000)
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
    """One thing that is different: rules for every look-up, or the trace that is replayed."""

    what: str
    rules: Mapping[str, Any] = {}
    amount: Any = None
    """The value of a rule that is an amount, which can be refined."""
    stated: Any = None
    """The amount that the plan states, if it states one."""
    on: Callable[[Trace], Trace] | None = None
    is_cold: bool = False
    """Whether the cache was empty when counting began."""

    def of(self, lookups: Sequence[str]) -> str:
        """The same said of some look-ups, or of all if there are none."""
        named = ", ".join(lookups)
        if self.amount is None:
            return f"{named}: {self.what}" if lookups else self.what
        return f"{named or 'it'} {'run' if len(lookups) > 1 else 'runs'} with {self.what}"


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
    """Other amounts of a stated rule: near ones first."""
    for value in sorted(stated):
        for times in (*_NEAR, *(_SLIPS if rule in _LIFETIMES else ())):
            yield _amount(rule, type(value)(max(int(value * times), 1)), value)
    if stated:
        yield Otherwise(f"there is no {rule}", {rule: without})


def _amount(rule: str, value: Any, stated: Any = None) -> Otherwise:
    slip = _SLIPS.get(Fraction(int(value), int(stated))) if stated and rule in _LIFETIMES else None
    what = f"{rule} = {rule_text(rule, value)}" + (f", {slip} {rule_text(rule, stated)}" if slip else "")
    return Otherwise(what, {rule: _plain(value)}, value, stated)


def refined(one: Otherwise, times: Fraction) -> Otherwise | None:
    """The same with a multiple of its amount, or None if it has no amount, or one that nobody would mix up with the
    plan's.
    """
    if one.amount is None:
        return None
    (rule,) = one.rules
    value = type(one.amount)(max(_short(one.amount * times, rule), 1))
    if one.stated is not None and not one.stated / _FARTHEST <= value <= one.stated * _FARTHEST:
        return None
    return _amount(rule, value, one.stated) if value != one.amount else None


def rounder(one: Otherwise) -> Iterator[Otherwise]:
    """The same with the round amounts that are close to it: those that people write."""
    if one.amount is None:
        return
    (rule,) = one.rules
    units = _UNITS_NS if rule in _LIFETIMES else (10**power for power in range(9, -1, -1))
    for unit in units:
        value = type(one.amount)(round(Fraction(int(one.amount), unit)) * unit)
        if value > 0 and value != one.amount and abs(value - one.amount) <= _CLOSE * one.amount:
            yield _amount(rule, value, one.stated)


def _short(value: Fraction, rule: str) -> int:
    """A lifetime with two digits, to be read; a limit as a whole number."""
    whole = round(value)
    return round(whole, 1 - len(str(whole)) + _DIGITS - 1) if rule in _LIFETIMES else whole


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
