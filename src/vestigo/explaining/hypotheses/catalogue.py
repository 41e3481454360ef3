"""What a cache may do otherwise than a plan says: hypotheses for every rule, made from the table of rules.

A rule of a new kind (neither words, a flag, an amount nor a share) gets a line in `_FORMS`. A value that a sentence
says better than ``rule = value`` gets one in `IN_WORDS`.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from functools import partial
from types import MappingProxyType
from typing import Any, Literal, get_args, get_origin

from vestigo.engine.what_if import on_nodes
from vestigo.explaining.hypotheses.amounts import ROUGHLY, near, of_amount, spread
from vestigo.explaining.hypotheses.hypothesis import Hypothesis
from vestigo.rules import Plan, PoolRules, Rules
from vestigo.rules.eviction import POLICIES, Eviction
from vestigo.rules.plan_text import rule_text
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.rule import rules_of
from vestigo.rules.values import Collect, Nulls, WhenFull, from_text
from vestigo.trace import Op, Trace
from vestigo.units import Duration, counted

IN_WORDS: Mapping[str, Mapping[str, str]] = {
    "nulls": {
        "keep": "nulls are kept",
        "skip": "nulls are not kept",
        "blind": "nulls are stored, but read as misses",
    },
    "on_write": {
        "leave": "writes are not seen: they leave what is held",
        "drop": "writes drop what is held",
        "replace": "writes put the new value in place",
    },
    "per": {"all": "all nodes share one cache", "node": "each node has a cache of its own"},
    "preload": {"start": "all keys are loaded ahead, at the start and after each restart"},
    "drop_first": {"true": "callers remove an entry before they read it"},
    "when_full": {
        "refuse": "it takes no more when it is full",
        "free 10%": "when it is full, it makes a tenth free at once",
        "free 25%": "when it is full, it makes a quarter free at once",
        "free 50%": "when it is full, it makes half of it free at once",
    },
    "collect": {
        "prompt": "what has expired takes no room",
        "touch": "what has expired takes room until it is touched or evicted",
    },
    "jitter": {"0%": "lifetimes do not vary"},
    "entry_overhead": {"0 B": "it weighs values without any overhead"},
}
SHARED = "pool.all.lookups"
"""The dotted key under which look-ups come to share one room."""
ASSUMED = "what things take"
"""The heading of rules that say how things are, not what a cache does."""
MEANS_NOTHING_ALONE = ("zone", "serve_on_failure", "keep_failures", "preload_cost")
"""They need times of day, an origin that fails, or a preload."""
_FORMS: Mapping[object, tuple[str, ...]] = {
    Nulls: ("keep", "skip", "blind", "keep 1m", "keep 10m"),
    WhenFull: ("evict", "refuse", "free 10%", "free 25%", "free 50%"),
    Collect: ("touch", "prompt", "every 1m"),
    Eviction: tuple(name for name in POLICIES if name != "belady"),
    Fraction: ("10%", "25%", "50%", "75%", "90%"),
    bool: ("true", "false"),
}
"""The values that are tried of what is written in words, by type."""
_NODES = (1, 2, 3, 4, 6, 8)
_LIFETIMES = ("absolute", "sliding")
_HIDING = ("fifo", "clock", "random")
"""Policies that are tried together with other sizes, because a wrong size can hide them."""
_SHOWN_BY: Mapping[str, Callable[[Trace], bool]] = {
    "on_write": lambda trace: Op.WRITE in trace.ops,
    "tell_nodes": lambda trace: Op.WRITE in trace.ops and len(trace.nodes) > 1,
    "tell_delay": lambda trace: Op.WRITE in trace.ops and len(trace.nodes) > 1,
    "survives_restart": lambda trace: Op.RESTART in trace.ops,
    "per": lambda trace: len(trace.nodes) > 1 or len(trace.scopes) > 0,
    "batch": lambda trace: len(trace.scopes) > 0,
}
"""Rules that only some traces put to the test."""


def of_trace(trace: Trace, plan: Plan) -> Iterator[Hypothesis]:
    """The cache began empty, or the reads come to other nodes than the trace says, where each has its own cache."""
    yield Hypothesis("the cache began empty when the counting did", is_cold=True)
    if any(plan.rules_for(name).per != "node" for name in trace.lookups):
        return
    for count in _NODES:
        if count != max(len(trace.nodes), 1):
            what = f"the reads are spread over {counted(count, 'node')}{', a cache each' if count > 1 else ''}"
            yield Hypothesis(what, on=partial(on_nodes, nodes=count))


def of_rules(
    trace: Trace, plan: Plan, shown: Mapping[str, Sequence[int]] = MappingProxyType({})
) -> Iterator[Hypothesis]:
    """Every rule otherwise. Of two that explain as much, the one that says more comes first. `shown` has amounts of
    rules that something else speaks for.
    """
    today = _Today(trace, plan)
    yield from _uses(today)
    yield from _deadlines(today)
    for rule in rules_tried():
        if rule != "eviction" and not is_amount(rule):
            yield from values_on(trace, rule, today.of(rule)) if _SHOWN_BY.get(rule, _always)(trace) else ()
    yield from _shared(trace, plan, today)
    for rule in filter(is_amount, rules_tried()):
        if _SHOWN_BY.get(rule, _always)(trace):
            yield from _amounts(rule, today, shown.get(rule, ()))
    if today.has_limit:
        yield from values("eviction", today.of("eviction"))
    yield from _hidden(today)


class _Today:
    """What a plan says of each look-up of a trace."""

    def __init__(self, trace: Trace, plan: Plan) -> None:
        self.trace = trace
        self.pools: Sequence[PoolRules] = [plan.pool_rules(name) for name in trace.lookups]
        self._rules = [plan.rules_for(name) for name in trace.lookups]

    def of(self, rule: str) -> list[object]:
        """The different values of a rule."""
        return list(dict.fromkeys(getattr(one, rule) for one in (self.pools if rule in POOL_RULES else self._rules)))

    def amounts(self, rule: str) -> list[Any]:
        """The different amounts that a rule has, ascending."""
        return sorted(value for value in self.of(rule) if value)

    @property
    def every_magnitude(self) -> list[int]:
        """Numbers of entries that the trace could fill."""
        halves = 2 * len(self.trace.keys).bit_length()
        return list(dict.fromkeys(round(2 ** (half / 2)) for half in range(halves)))

    @property
    def has_limit(self) -> bool:
        return any(pool.max_entries or pool.max_bytes for pool in self.pools)


def rules_tried() -> list[str]:
    """The rules that a cache may break: those that say what it does, and the overhead by which it may weigh."""
    every = rules_of(Rules).items()
    return [
        name
        for name, rule in every
        if name in IN_WORDS or (rule.heading != ASSUMED and name not in MEANS_NOTHING_ALONE)
    ]


def is_amount(rule: str) -> bool:
    """Whether a rule is a duration, a number of entries, or one of bytes."""
    return bool({Duration, int} & {*_types(rule)}) and rule not in IN_WORDS


def values_on(trace: Trace, rule: str, today: Sequence[Any]) -> Iterator[Hypothesis]:
    """The other values of a rule, but no caches of nodes or scopes if no row of the trace names any."""
    named = {"node": len(trace.nodes) > 0, "scope": len(trace.scopes) > 0}
    yield from (one for one in values(rule, today) if rule != "per" or named.get(str(one.rules[rule]), True))


def values(rule: str, today: Sequence[Any]) -> Iterator[Hypothesis]:
    """The other values of a rule, where some look-ups have these `today`.

    >>> [one.what for one in values("overlap", ["repeat"])]
    ['overlap = join']
    """
    have = {rule_text(rule, one) for one in today}
    usual = Rules.model_fields[rule].default
    texts = [text for kind in _types(rule) for text in _FORMS.get(kind, ())]
    texts = [*_words(rule), *texts, *IN_WORDS.get(rule, ()), rule_text(rule, usual)]
    for text in dict.fromkeys(texts):
        if have == {text}:
            continue
        said = IN_WORDS.get(rule, {}).get(text) or _said(rule, text, usual, today)
        yield Hypothesis(said, {rule: from_text(text)}, is_setting=said == f"{rule} = {text}")


def _types(rule: str) -> tuple[object, ...]:
    kind = Rules.model_fields[rule].annotation
    return get_args(kind) if get_args(kind) and get_origin(kind) is not Literal else (kind,)


def _words(rule: str) -> tuple[str, ...]:
    kind = Rules.model_fields[rule].annotation
    return get_args(kind) if get_origin(kind) is Literal else ()


def _said(rule: str, text: str, usual: object, today: Sequence[Any]) -> str:
    if rule == "eviction":
        only_lru = [one.name for one in today] == ["lru"]
        if text == "fifo" and only_lru:
            return "a hit does not count as a use when it evicts (eviction = fifo)"
        return f"it evicts as {text} does"
    return f"there is no {rule}" if not usual and text == rule_text(rule, usual) else f"{rule} = {text}"


def _uses(today: _Today) -> Iterator[Hypothesis]:
    """What a hit does to a lifetime."""
    for span in today.amounts("sliding"):
        yield Hypothesis("a hit does not prolong a lifetime", {"sliding": "never", "absolute": str(span)})
    for span in today.amounts("absolute"):
        yield Hypothesis("a hit prolongs the lifetime", {"sliding": str(span), "absolute": "never"})


def _deadlines(today: _Today) -> Iterator[Hypothesis]:
    """Whether an entry is still live exactly at its deadline."""
    stated = {name: today.amounts(name) for name in _LIFETIMES}
    later = {name: str(Duration(spans[0] + 1)) for name, spans in stated.items() if spans}
    if later:
        yield Hypothesis("an entry is still valid at the exact moment of its deadline", later)


def _shared(trace: Trace, plan: Plan, today: _Today) -> Iterator[Hypothesis]:
    """One room for all look-ups. It has the size that one of them has now, or that all have together."""
    lookups = list(trace.lookups)
    if plan.pools or len(lookups) < 2:
        return
    every = sum(pool.max_entries or 0 for pool in today.pools)
    for most in dict.fromkeys([*today.amounts("max_entries"), every]):
        policy = str(today.pools[0].eviction)
        other = {"pool.all.eviction": policy} if policy != "lru" else {}
        what = f"all look-ups share one room for {counted(most, 'entry', 'entries')}"
        if most:
            yield Hypothesis(what, keys={SHARED: lookups, "pool.all.max_entries": most, **other})


def _amounts(rule: str, today: _Today, shown: Sequence[int]) -> Iterator[Hypothesis]:
    """Other amounts of a rule: near ones first, or of every magnitude if none is stated."""
    stated = today.amounts(rule)
    yield from (of_amount(rule, amount) for amount in shown if amount not in stated)
    for amount in stated:
        yield from (of_amount(rule, other, amount) for other in near(amount))
    if stated:
        usual = rule_text(rule, Rules.model_fields[rule].default)
        yield Hypothesis(f"there is no {rule}", {rule: usual})
    elif rule == "max_entries" and not today.has_limit:
        yield from (of_amount(rule, size) for size in today.every_magnitude)
    elif Duration in _types(rule):
        yield from spread(rule, today.trace.span_ns)


def _hidden(today: _Today) -> Iterator[Hypothesis]:
    """Other sizes together with other policies."""
    for rule in ("max_entries", "max_bytes"):
        for amount in today.amounts(rule):
            for size in near(amount, ROUGHLY):
                yield from (of_amount(rule, size, amount, {"eviction": name}) for name in _HIDING)
    for size in () if today.has_limit else today.every_magnitude:
        yield from (of_amount("max_entries", size, None, {"eviction": name}) for name in _HIDING)


def _always(_: Trace) -> bool:
    return True
