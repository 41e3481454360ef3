"""The JSON Schema of plan files, made from the rules and their docstrings."""

from collections.abc import Callable, Mapping
from dataclasses import fields
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, BeforeValidator
from pydantic.fields import FieldInfo

from vestigo.measures import MEASURES, REHEARSED
from vestigo.rules import values
from vestigo.rules.aim import OF, Worth
from vestigo.rules.checked import said_of
from vestigo.rules.conditions import KeepIf, patterns
from vestigo.rules.counter_names import CounterNames, series
from vestigo.rules.eviction import POLICIES, Eviction
from vestigo.rules.moments import Moments, read_zone
from vestigo.rules.origin import MOST_PLACES, Origin, places
from vestigo.rules.plan_text import FROM_SCRATCH
from vestigo.rules.pool import Pool, look_up_names
from vestigo.rules.preload import Preload, read_cost
from vestigo.rules.rules import Rules
from vestigo.rules.what_if import Times, WhatIf
from vestigo.rules.windows import Windows
from vestigo.trace import Intake
from vestigo.trace.columns import Column
from vestigo.trace.reading.times import UNITS
from vestigo.trace.trace import COLUMNS
from vestigo.units import parse_bytes

Schema = dict[str, Any]

_AMOUNT = r"^\s*\d+(\.\d+)?\s*[A-Za-zµ]+\s*$"
_DURATION = r"^\s*(\d+(\.\d+)?\s*[A-Za-zµ]+\s*)+$|^\s*P[0-9.A-Z]+\s*$"
_WITHIN = f"({_DURATION.replace('^', '').replace('$', '')})"
"""A duration as a part of a text."""
_SHARE = r"^\s*\d+(\.\d+)?\s*%\s*$"


def _text(pattern: str, *examples: str) -> Schema:
    return {"type": "string", "pattern": pattern, "examples": list(examples)}


def _one_or_list(one: Schema) -> Schema:
    return {"anyOf": [one, {"type": "array", "items": one}]}


_SPAN = _text(_DURATION, "500ms", "10m")
_SIZE: Schema = {"anyOf": [{"type": "integer", "minimum": 0}, _text(_AMOUNT, "512 KiB", "64 MiB")]}
_LIFETIME = _text(rf"^never$|{_DURATION}", "10m", "never")
_MOMENTS = _one_or_list({"type": "string", "examples": ["06:00", "every 6h from 00:30", "2026-03-02T06:00:00+01:00"]})
_WORDS: Schema = {"type": "string"}
_FROM_SCRATCH: Schema = {"type": "boolean", "description": "Whether it builds on nothing of the settings above."}

_READ_BY: Mapping[Callable[..., Any], Schema] = {
    values.limit: {"anyOf": [{"type": "integer", "minimum": 1}, {"const": "no limit"}]},
    values.byte_limit: {"anyOf": [*_SIZE["anyOf"], {"const": "no limit"}]},
    values.lifetime: _LIFETIME,
    values.span: _SPAN,
    values.share: _text(_SHARE, "10%"),
    values.reload_after: _text(rf"^never$|{_SHARE}", "80%"),
    values.flag: {"type": "boolean"},
    parse_bytes: _SIZE,
    values.nulls: _text(rf"^(skip|blind|keep(\s+(never|{_WITHIN}))?)$", "skip", "keep", "keep 30s", "blind"),
    values.when_full: _text(rf"^(evict|refuse|free\s+{_SHARE.strip('^$')})$", "evict", "refuse", "free 10%"),
    values.collect: _text(rf"^(touch|prompt|every\s+{_WITHIN})$", "touch", "prompt", "every 30s"),
    values.nodes: {"type": "integer", "minimum": 1, "maximum": values.MOST_NODES},
    Eviction.read: _text(rf"^\s*({'|'.join(POLICIES)})(\s+\w+=\S+)*\s*$", "lru", "slru protected=70%"),
    KeepIf.read: _one_or_list({"type": "string", "examples": ["size <= 64 KiB", "key = tile/{...}", "none"]}),
    Moments.read: _MOMENTS,
    Preload.read: _one_or_list({"type": "string", "examples": ["start", "never", "06:00", "every 6h from 00:30"]}),
    read_cost: _text(rf"^longest$|{_DURATION}", "20s", "longest"),
    Windows.down: _one_or_list({"type": "string", "examples": ["2026-03-17 09:00 for 60s", "09:00 for 60s"]}),
    Windows.slower: _one_or_list({"type": "string", "examples": ["3x 2026-03-17 09:00 for 10m"]}),
    places: {"anyOf": [{"type": "integer", "minimum": 1, "maximum": MOST_PLACES}, {"const": "no limit"}]},
    read_zone: {"type": "string", "examples": ["Europe/Oslo", "UTC"]},
    patterns: _one_or_list(_WORDS),
    look_up_names: _one_or_list(_WORDS),
    series: _one_or_list({"type": "string", "examples": ['reads_total{result="hit", cache="{lookup}"}']}),
    Times.read: {"anyOf": [{"type": "number", "minimum": 0}, _WORDS]},
    Times.read_more: {"anyOf": [{"type": "number", "minimum": 1}, _WORDS]},
}
"""By the reader of a rule: what a plan file may have for it."""


def plan_schema() -> Schema:
    """The schema of the whole file, in JSON Schema 2020-12."""
    rules, pool = _of_model(Rules), _of_model(Pool)
    of_lookup = _object({**rules["properties"], "keys": _named(rules, "Patterns of keys, with rules of their own.")})
    settings = {
        "rules": {**rules, "description": "Rules for every look-up."},
        "lookup": _named(of_lookup, "Rules for single look-ups, over those for all."),
        "pool": _named(pool, "Room that several look-ups share."),
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A plan of Vestigo",
        **_object(
            {
                "trace": {**_of_trace(), "description": "Where the trace is, and what its columns mean."},
                **settings,
                "candidate": _named(
                    _object({**settings, FROM_SCRATCH: _FROM_SCRATCH}),
                    "Named alternatives: what differs from the settings above.",
                ),
                "whatif": {**_of_model(WhatIf), "description": "Circumstances that are to differ from the trace."},
                "origin": _of_origin(),
                "vary": {
                    "type": "object",
                    "description": "What may be set: values, or any, by each.RULE or lookup.NAME.RULE.",
                },
                "aim": {**_of_aim(), "description": "What to make best, and within which limits."},
                "worth": {**_of_worth(), "description": "What things cost, in one currency."},
                "counters": {
                    **_of_model(CounterNames),
                    "description": "Which counters of the running service mean what.",
                },
            }
        ),
    }


def _object(properties: Schema) -> Schema:
    return {"type": "object", "properties": properties, "additionalProperties": False}


def _named(each: Schema, description: str) -> Schema:
    return {"type": "object", "additionalProperties": each, "description": description}


def _of_model(kind: type[BaseModel]) -> Schema:
    said = said_of(kind)
    return _object({name: {**_of_rule(field), "description": said[name]} for name, field in kind.model_fields.items()})


def _of_origin() -> Schema:
    """What is stated of the origin of all look-ups, and tables of those that some have for themselves."""
    own = _of_model(Origin)
    says = "What answers the loads: how many at a time, and its bad days. [origin.NAME] is that of some look-ups."
    return {**own, "additionalProperties": own, "description": says}


def _of_rule(field: FieldInfo) -> Schema:
    if get_origin(field.annotation) is Literal:
        return {"enum": list(get_args(field.annotation))}
    (reader,) = (one.func for one in field.metadata if isinstance(one, BeforeValidator))
    return _READ_BY[reader]


def _of_trace() -> Schema:
    docstrings = said_of(Intake)
    template = {"type": "string", "examples": ["{route}:{user}"]}
    own: Schema = {
        "columns": _object({name: {**template, "description": _holds(one)} for name, one in COLUMNS.items()}),
        "patterns": {"type": "object", "additionalProperties": _one_or_list(_WORDS)},
        "null_where": {"type": "object"},
        "hit_where": {"type": "object"},
        "at_unit": {"enum": list(UNITS)},
        "cost_unit": {"enum": list(UNITS)},
        "strict": {"type": "boolean"},
        "longest_line": _SIZE,
        "unfolds_to": _SIZE,
    }
    intake = {one.name: {**own.get(one.name, _WORDS), "description": docstrings[one.name]} for one in fields(Intake)}
    path = {"type": "string", "description": "Of the trace, from the plan's own folder."}
    warm_up = {"anyOf": [{"type": "integer", "minimum": 0}, _SPAN], "description": "What is replayed, but not counted."}
    return _object({"path": path, "warm_up": warm_up, **intake})


def _holds(column: Column) -> str:
    return f"What {column.name} is made of: columns of the file in braces."


def _of_aim() -> Schema:
    limit = _one_or_list(_text(r"^\s*(<=|>=)", "<= 64 MiB", "<= today + 10 %"))
    best = {
        word: {"enum": [name for name, one in MEASURES.items() if one.more_is_better == (word == "most")]}
        for word in ("most", "least")
    }
    best["of"] = {"enum": list(OF)}
    limits = {name: {**limit, "description": one.label} for name, one in {**MEASURES, **REHEARSED}.items()}
    return _object({**best, **limits, **_nested(limits)})


def _nested(named: Schema) -> Schema:
    """What names with dots stand for in TOML, where they are tables within tables unless they are quoted."""
    tables: Schema = {}
    for name, one in named.items():
        head, *rest = name.split(".", 1)
        if rest:
            tables.setdefault(head, {})[rest[0]] = one
    return {head: _object({**inner, **_nested(inner)}) for head, inner in tables.items()}


def _of_worth() -> Schema:
    said, price = said_of(Worth), {"type": "number", "minimum": 0}
    return _object(
        {
            one.name: {**(_WORDS if one.name == "currency" else price), "description": said.get(one.name, one.name)}
            for one in fields(Worth)
        }
    )


def examples_of(reader: Callable[..., object]) -> list[str]:
    """Texts that the reader of a rule accepts."""
    schema = _READ_BY[reader]
    parts = [schema, *schema.get("anyOf", [])]
    return [example for part in parts for example in part.get("examples", [])]
