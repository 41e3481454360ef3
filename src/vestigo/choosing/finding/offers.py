"""``Offer``: the values of one rule of a look-up that are worth trying, from what its data does."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import product
from math import inf, isnan
from types import MappingProxyType
from typing import Any, NamedTuple

from vestigo.choosing.finding.facts import Facts
from vestigo.choosing.finding.ladders import DURATIONS, ENTRIES, SIZES, Ladder, Step
from vestigo.choosing.finding.units import stated_now
from vestigo.rules import Plan, Rules
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.vary import ANY, Changes, key_of

ALWAYS = ("max_entries", "max_bytes", "absolute", "sliding", "nulls", "keep_if")
"""The rules that every cache in a process has, and whether a look-up is cached at all. They are what is searched unless
something else is asked for.
"""
_POLICIES = ("lru", "sieve", "s3-fifo", "w-tinylfu", "lfu-da", "arc", "gdsf")
_ABOUT_WRITES = ("on_write", "tell_nodes")
"""What these say matters together, so they are set together."""
_MOST_BESIDE = 4
"""So many listed values are all tried beside each other."""
_DAY_NS = 86_400 * 10**9


class Offer(NamedTuple):
    """Ways to set one thing, which may take several rules. Each step's value has them by dotted key."""

    rule: str
    """What it is about, in one word."""
    keys: tuple[str, ...]
    steps: Ladder
    is_ordered: bool
    """Whether only the ways beside one are near to it."""
    now: Changes
    """Today's way, which a list of values need not have."""

    @property
    def ways(self) -> list[Changes]:
        """All of them."""
        return [_values(step) for step in self.steps]

    def on_level(self, level: int) -> list[Changes]:
        """Those of a level of the ladder, if it is one."""
        return [_values(step) for step in self.steps.level(level)] if self.is_ordered else self.ways

    def of(self, changes: Changes) -> Step | None:
        """The step at which settings stand."""
        here = frozen({key: changes[key] for key in self.keys})
        return next((step for step in self.steps if frozen(_values(step)) == here), None)

    def near(self, changes: Changes, level: int) -> Iterator[Changes]:
        """Other ways: those beside the present one on this level of the ladder, and the last one."""
        here = self.of(changes)
        if here is None or not self.is_ordered:
            yield from (_values(step) for step in self.steps if step is not here)
            return
        beside = self.steps.beside(here.amount, level)
        yield from (_values(step) for step in beside)
        if self.steps[-1].amount == inf != here.amount and self.steps[-1] not in beside:
            yield _values(self.steps[-1])


def _values(step: Step) -> Mapping[str, Any]:
    assert isinstance(step.value, Mapping)
    return step.value


def frozen(values: Mapping[str, object]) -> tuple[object, ...]:
    """Values of the same keys in the same order, in a form that can name them."""
    return tuple(tuple(value) if isinstance(value, list) else value for value in values.values())


def amount_of(rule: str, value: object) -> float:
    """The place of a value of a rule on its ladder. NaN if it has none."""
    try:
        read: Any = Rules.read(rule, value)
    except ValueError:
        return float("nan")
    if rule == "nulls":
        return {"skip": 0.0, "keep": inf}.get(str(read), float(read.lifetime or float("nan")))
    if read is None:
        return inf
    return float(read) if isinstance(read, int) and not isinstance(read, bool) else float("nan")


def offers_of(plan: Plan, lookup: str, facts: Facts, asked: Mapping[str, Sequence[object] | str]) -> list[Offer]:
    """What can be set of a look-up, from the rules that are `asked` for, each with values or with ``any``. Rules that
    cannot matter on this trace are left out.
    """
    both = all(asked.get(rule) == ANY for rule in _ABOUT_WRITES)
    offers = []
    for rule, values in asked.items():
        if _moves_preloads(plan.rules_for(lookup), rule):
            continue
        if both and rule in _ABOUT_WRITES:
            offers += [_writes(plan, lookup, facts)] if facts.has_writes and rule == _ABOUT_WRITES[0] else []
        elif not isinstance(values, str):
            offers.append(_listed(plan, _key(plan, lookup, rule), rule, values))
        elif found := _FOUND[rule](facts):
            offers.append(_laid(plan, lookup, rule, found))
    return [offer for offer in offers if any(frozen(way) != frozen(offer.now) for way in offer.ways)]


def _moves_preloads(rules: Rules, rule: str) -> bool:
    """Whether other values of a rule would change when something is preloaded or cleared, and where."""
    on_clock = [rules.clear_at, rules.preload.moments if rules.preload else None]
    moves_times = rules.zone not in (None, "UTC") and any(one and one.times for one in on_clock)
    return (rule == "per" and rules.preload is not None) or (rule == "absolute_at" and moves_times)


def _key(plan: Plan, lookup: str, rule: str) -> str:
    pool = plan.pool_for(lookup)
    return key_of("pool", pool, rule) if pool is not None and rule in POOL_RULES else key_of("lookup", lookup, rule)


def _listed(plan: Plan, key: str, rule: str, values: Sequence[object]) -> Offer:
    """Just these values."""
    steps = [Step({key: value}, amount_of(rule, value)) for value in values]
    is_ordered = len(steps) > _MOST_BESIDE and not any(isnan(step.amount) for step in steps)
    return Offer(rule, (key,), Ladder.of(steps), is_ordered, {key: stated_now(plan, key)})


def _laid(plan: Plan, lookup: str, rule: str, found: "Sequence[Step]") -> Offer:
    """What was found, and what the rule is today."""
    keys = tuple(dict.fromkeys(_key(plan, lookup, one) for step in found for one in _values(step)))
    now = {key: stated_now(plan, key) for key in keys}
    steps = [
        Step({**now, **{_key(plan, lookup, one): value for one, value in _values(step).items()}}, *step[1:])
        for step in found
    ]
    if all(frozen(_values(step)) != frozen(now) for step in steps):
        steps.append(Step(now, amount_of(rule, now[keys[0]]) if rule in _ORDERED else 0.0))
    return Offer(rule, keys, Ladder.of(steps), rule in _ORDERED, now)


def _writes(plan: Plan, lookup: str, facts: Facts) -> Offer:
    """What a write does on its own node and on the others, together."""
    own = _on_write(facts)
    others = _tell_nodes(facts)
    if not others:
        return _laid(plan, lookup, "on_write", own)
    ways = [
        Step({**_values(one), **_values(other)}, 0.0)
        for one, other in product(own, others)
        if not (_values(one)["on_write"] == "leave" and _values(other)["tell_nodes"] != "nothing")
        and not (_values(one)["on_write"] == "drop" and _values(other)["tell_nodes"] == "copy")
    ]
    return _laid(plan, lookup, "on_write", ways)


def _ladder(rule: str, ladder: Ladder, *more: Step) -> list[Step]:
    return [Step({rule: step.value}, step.amount, step.level) for step in [*ladder, *more]]


def _words(rule: str, *values: object) -> list[Step]:
    return [Step({rule: value}, 0.0) for value in values]


def _lifetimes(rule: str) -> Callable[[Facts], list[Step]]:
    def found(facts: Facts) -> list[Step]:
        ladder = DURATIONS.between(facts.shortest_ns, facts.span_ns)
        return _ladder(rule, Ladder(step for step in ladder if step.amount < facts.span_ns), Step("never", inf))

    return found


def _entries(facts: Facts) -> list[Step]:
    ladder = ENTRIES.between(1, facts.keys)
    return _ladder("max_entries", Ladder(step for step in ladder if step.amount < facts.keys), Step("no limit", inf))


def _bytes(facts: Facts) -> list[Step]:
    ladder = SIZES.between(facts.bytes / max(facts.keys, 1), facts.bytes)
    return _ladder("max_bytes", ladder, Step("no limit", inf))


def _nulls(facts: Facts) -> list[Step]:
    if not facts.has_nulls:
        return []
    ladder = DURATIONS.between(facts.shortest_ns, min(facts.span_ns, _DAY_NS))
    kept = (Step({"nulls": f"keep {step.value}"}, step.amount, max(step.level, 1)) for step in ladder)
    return [Step({"nulls": "skip"}, 0.0), *kept, Step({"nulls": "keep"}, inf)]


def _on_write(facts: Facts) -> list[Step]:
    return _words("on_write", "leave", "drop", "replace") if facts.has_writes else []


def _tell_nodes(facts: Facts) -> list[Step]:
    return _words("tell_nodes", "nothing", "drop", "copy") if facts.has_writes and facts.nodes > 1 else []


def _absolute_at(facts: Facts) -> list[Step]:
    if facts.clock is None:
        return []
    times = (Step({"absolute_at": times, "zone": "UTC"}, 0.0) for times in facts.clock.times())
    return [Step({"absolute_at": "never", "zone": "UTC"}, 0.0), *times]


def _timed(rule: str, *values: object) -> Callable[[Facts], list[Step]]:
    return lambda facts: _words(rule, *values) if facts.has_costs else []


def _of_scopes(rule: str, *values: object) -> Callable[[Facts], list[Step]]:
    return lambda facts: _words(rule, *values) if facts.has_scopes else []


_FOUND: Mapping[str, Callable[[Facts], list[Step]]] = MappingProxyType(
    {
        "max_entries": _entries,
        "max_bytes": _bytes,
        "absolute": _lifetimes("absolute"),
        "sliding": _lifetimes("sliding"),
        "nulls": _nulls,
        "on_write": _on_write,
        "tell_nodes": _tell_nodes,
        "absolute_at": _absolute_at,
        "eviction": lambda _: _words("eviction", *_POLICIES),
        "overlap": _timed("overlap", "repeat", "join"),
        "reload_after": _timed("reload_after", "never", "50%", "80%", "90%"),
        "serve_stale": _timed("serve_stale", "0s", "5s", "1m", "10m"),
        "batch": _of_scopes("batch", "never", "10ms", "100ms"),
        "per": _of_scopes("per", "node", "scope"),
        "keep_if": lambda _: _words("keep_if", "all", "none"),
        "collect": lambda _: _words("collect", "touch", "prompt"),
    }
)
"""By rule, the values that are worth trying. A rule that a search is to find values for gets a line here, and its name
in `vestigo.rules.vary.FINDABLE`.
"""
_ORDERED = ("max_entries", "max_bytes", "absolute", "sliding", "nulls")
