"""Knobs: what a page needs to know to change each rule. It is made from the table of rules."""

from collections.abc import Callable, Hashable, Mapping
from functools import cache
from typing import Literal, get_args, get_origin

from pydantic import BaseModel, BeforeValidator
from pydantic.fields import FieldInfo

from vestigo.data import Told
from vestigo.measures import MEASURES
from vestigo.rules import Aim, Plan, Pool, Rules, WhatIf, values
from vestigo.rules.checked import Checked, said_of
from vestigo.rules.eviction import POLICIES, Eviction
from vestigo.rules.plan_text import rule_text
from vestigo.rules.rule import rules_of
from vestigo.rules.schema import examples_of
from vestigo.rules.stated import Stated
from vestigo.rules.what_if import Times
from vestigo.trace import Trace
from vestigo.units import parse_bytes

Knob = Told
"""``rule``, ``heading``, ``says``, ``is_first``, ``kind`` and what belongs to it."""

Said = dict[str, dict[str, str]]
"""What rules say, by place (``rules``, ``lookup.vessel``, ``pool.desk``, ``whatif``) and rule."""

_KINDS: Mapping[Callable[..., object], Knob] = {
    values.limit: {"kind": "count", "none": "no limit"},
    values.byte_limit: {"kind": "size", "none": "no limit"},
    values.lifetime: {"kind": "span", "none": "never"},
    values.span: {"kind": "span", "none": "0s"},
    values.share: {"kind": "share"},
    values.reload_after: {"kind": "share", "none": "never"},
    values.flag: {"kind": "flag"},
    parse_bytes: {"kind": "size", "none": "0 B"},
    values.nodes: {"kind": "count", "none": "as recorded"},
    Times.read: {"kind": "times", "least": 0.1},
    Times.read_more: {"kind": "times", "least": 1},
}
"""By the reader of a rule. Amounts have sliders, which end at ``none``; all else is text, with examples."""

_WITHOUT_A_KNOB = ("lookups", "preload", "preload_cost")
"""With other preloads, settings can pass the ceilings that the page shows."""
_FIRST = ("max_entries", "max_bytes", "eviction", "absolute", "sliding", "nulls")
"""The rules that most people turn. They come first, and the others are folded."""
_TAKEN = {"size": (1, 2**24), "span": (100, 10**10)}
"""The reach of what an entry or a hit takes."""


def knobs(trace: Trace, values_bytes: int) -> dict[str, list[Knob]]:
    """The knobs of ``rules`` (also of a look-up), of a ``pool``, and of ``whatif``."""
    reaches = {
        "count": (1, max(2 * len(trace.keys), 10)),
        "size": (1024, max(4 * values_bytes, 2**20)),
        "span": (1_000_000, max(2 * trace.span_ns, 10**9)),
    }
    made = {"rules": _of(Rules), "pool": _of(Pool), "whatif": _of(WhatIf)}
    for each in made.values():
        for knob in each:
            least, most = reaches.get(knob["kind"], (0, 1))
            knob.setdefault("least", least)
            knob.setdefault("most", {"times": 10}.get(knob["kind"], most))
    for knob in made["whatif"]:
        if knob["rule"] == "nodes":
            knob["most"] = max(2 * len(trace.nodes), 16)
    for knob in made["rules"]:
        if knob["heading"] == "what things take":
            knob["least"], knob["most"] = _TAKEN.get(knob["kind"], (0, 1))
    return made


def limit_knobs(stale_known: bool, values_bytes: int) -> list[Knob]:
    """The knobs of what is limited where the best settings are looked for, by the key of each in a plan."""
    most = "no limit"
    memory = {"kind": "size", "none": most, "least": 1024, "most": max(4 * values_bytes, 2**20)}
    stale = {"kind": "rare", "none": most, "least": 1e-4, "most": 1}
    limits = {"memory_peak": (memory, "The most memory that is held at once.")}
    if stale_known:
        limits["stale_rate"] = (stale, "The most reads that are answered with old data.")
    return [
        {"key": f"aim.{name}", "rule": MEASURES[name].label, "heading": "", "says": says, **knob}
        for name, (knob, says) in limits.items()
    ]


def limits_said(aim: Aim) -> dict[str, str]:
    """What a plan limits of that. Of several limits on one measure, the last one."""
    return {f"aim.{limit.name}": limit.written for limit in aim.each_limit if limit.sign == "<="}


def _of(kind: type[BaseModel]) -> list[Knob]:
    rules, docstrings = rules_of(kind), said_of(kind)
    knobs = []
    for name, field in kind.model_fields.items():
        if name in _WITHOUT_A_KNOB:
            continue
        heading = rules[name].heading if name in rules else "what if"
        says, is_first = docstrings[name].replace("`", ""), name in _FIRST
        knobs.append({"rule": name, "heading": heading, "says": says, "is_first": is_first, **_kind(field)})
    return knobs


def _kind(field: FieldInfo) -> Knob:
    if get_origin(field.annotation) is Literal:
        return {"kind": "choice", "choices": list(get_args(field.annotation))}
    (reader,) = (one.func for one in field.metadata if isinstance(one, BeforeValidator))
    if reader == Eviction.read:
        return {"kind": "policy", "policies": _policies()}
    return dict(_KINDS[reader]) if reader in _KINDS else {"kind": "words", "examples": examples_of(reader)}


def _policies() -> dict[str, dict[str, str]]:
    """The parameters of each policy, with the paper's values."""
    usual = {name: dict(Eviction.read(name).parameters) for name in POLICIES}
    return {
        name: {parameter: POLICIES[name].written(value) for parameter, value in each.items()}
        for name, each in usual.items()
    }


def values_of(plan: Plan, lookups: tuple[str, ...]) -> Said:
    """The values that hold by a plan."""
    places: dict[str, Checked] = {"rules": plan.rules}
    places |= {f"lookup.{name}": plan.rules_for(name) for name in lookups}
    places |= {f"pool.{name}": pool for name, pool in plan.pools.items()}
    values = {
        place: {
            name: _text(type(one), name, getattr(one, name)) for name in type(one).model_fields if name != "lookups"
        }
        for place, one in places.items()
    }
    what_if = {name: _text(WhatIf, name, getattr(plan.what_if, name)) for name in WhatIf.model_fields}
    return values | {"whatif": what_if | {"nodes": what_if["nodes"] if plan.what_if.nodes else "as recorded"}}


def changed(plan: Plan, before: Said) -> dict[str, str]:
    """By dotted key, what a plan says of look-ups and pools that is not as before."""
    lookups = tuple(place.removeprefix("lookup.") for place in before if place.startswith("lookup."))
    return {
        f"{place}.{rule}": text
        for place, rules in values_of(plan, lookups).items()
        for rule, text in rules.items()
        if place not in ("rules", "whatif") and before.get(place, {}).get(rule) != text
    }


@cache
def _text(kind: type[Checked], name: str, value: Hashable) -> str:
    """The value of a rule as it is typed. It is cached, because hundreds of candidates share most of their values."""
    written = WhatIf.written(name, value) if kind is WhatIf else Rules.written(name, value)
    if isinstance(written, list):
        return f"[{', '.join(written)}]" if written else ""
    if isinstance(written, bool):
        return str(written).lower()
    return str(written) if kind is WhatIf or isinstance(written, str) else rule_text(name, value)


def stated_in(plan: Plan, lookups: tuple[str, ...]) -> dict[str, list[str]]:
    """The rules that each place states itself. A change of the rules for all look-ups does not reach these."""
    return {f"lookup.{name}": list(Stated.by(plan.lookups.get(name, {}))) for name in lookups}
