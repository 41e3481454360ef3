"""Writes a plan as the text of a plan file, which can be copied and replayed."""

import os
from collections.abc import Mapping
from dataclasses import fields
from pathlib import Path
from typing import Any

from vestigo.measures import MEASURES
from vestigo.rules.aim import Aim
from vestigo.rules.plan import Plan
from vestigo.rules.rules import Rules
from vestigo.rules.toml_text import toml_text
from vestigo.trace import Intake
from vestigo.units import format_exact_bytes

_SIZES = ("max_bytes", "entry_overhead", "assume_size")


def plan_text(plan: Plan, folder: Path | None = None) -> str:
    """All that the plan states, as TOML, without candidates and what varies. So its settings can be replayed alone.

    Paths are relative to `folder`, where the file will be.

    >>> from vestigo.rules.rules import Rules
    >>> print(plan_text(Plan(Rules(max_bytes=2**23, absolute="10m"), {"vessel": {"absolute": "never"}})))
    [rules]
    max_bytes = "8 MiB"
    absolute = "10m"
    <BLANKLINE>
    [lookup.vessel]
    absolute = "never"
    <BLANKLINE>
    """
    stated = plan.to_dict()
    lookups = {name: _with_units(rules) for name, rules in stated["lookups"].items()}
    for name, patterns in stated["keys"].items():
        lookups.setdefault(name, {})["keys"] = {pattern: _with_units(rules) for pattern, rules in patterns}
    tables = {
        "trace": _trace(plan, folder),
        "rules": _with_units(stated["rules"]),
        "lookup": lookups,
        "pool": {name: _with_units(pool) for name, pool in stated["pools"].items()},
        "whatif": stated["what_if"],
        "aim": _aim(plan.aim),
        "worth": _worth(plan.aim),
        "counters": plan.counters.to_dict(),
    }
    return toml_text({name: table for name, table in tables.items() if table})


def _trace(plan: Plan, folder: Path | None) -> dict[str, Any]:
    table: dict[str, Any] = {}
    if plan.trace_path is not None:
        path = plan.trace_path if folder is None else Path(os.path.relpath(plan.trace_path, folder))
        table["path"] = path.as_posix()
    if plan.warm_up:
        table["warm_up"] = plan.to_dict()["warm_up"]
    usual = Intake()
    for one in fields(Intake):
        value = getattr(plan.intake, one.name)
        if value != getattr(usual, one.name):
            table[one.name] = dict(value) if isinstance(value, Mapping) else value
    return table


def _with_units(rules: Mapping[str, Any]) -> dict[str, Any]:
    """The rules with sizes in units."""
    return {name: _with_unit(name, value) for name, value in rules.items()}


def _with_unit(name: str, value: Any) -> Any:
    return format_exact_bytes(value) if name in _SIZES and type(value) is int else value


def rule_text(name: str, value: object) -> str:
    """A rule's value, as a plan file writes it, without quotes.

    >>> rule_text("max_bytes", 2**23), rule_text("absolute", None)
    ('8 MiB', 'never')
    """
    return str(_with_unit(name, Rules.written(name, value)))


def _aim(aim: Aim) -> dict[str, Any]:
    limits = {name: list(texts) if isinstance(texts, tuple) else texts for name, texts in aim.bounds.items()}
    if aim.best is None or aim.is_usual:
        return limits
    return {"most" if MEASURES[aim.best].more_is_better else "least": aim.best, **limits}


def _worth(aim: Aim) -> dict[str, Any]:
    if aim.worth is None:
        return {}
    stated = {one.name: getattr(aim.worth, one.name) for one in fields(aim.worth)}
    return {name: value for name, value in stated.items() if value}
