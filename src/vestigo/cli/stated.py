"""Reads the options that state settings: a plan file, rules over it, and how the trace is read."""

import dataclasses
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from vestigo.rules import Plan

PLAN = Path("plan.toml")


def plan_for(path: Path | None, rules: list[str] | None = None) -> "Plan | None":
    """The plan, with the rules of ``--rules`` put over its own. None if nothing is stated."""
    from vestigo.cli.screen import say_below
    from vestigo.errors import InputError
    from vestigo.rules import Plan, read_plan
    from vestigo.rules.plan import Called

    if path is None and PLAN.exists():
        path = PLAN
        say_below(f"Settings: {PLAN} in this folder.")
    if path is None and not rules:
        return None
    plan = read_plan(path) if path is not None else Plan()
    if not rules:
        return plan
    changes = dict(_rule(text) for text in rules)
    try:
        today = plan.changed(changes)
    except InputError as error:
        raise InputError([f"--rules: {problem}" for problem in error.problems]) from None
    stated = ", ".join(f"{key.removeprefix('rules.')} = {value}" for key, value in changes.items())
    called = Called(f"{path} with {stated}" if path is not None else stated)
    return dataclasses.replace(today, candidates=plan.candidates, vary=plan.vary, called=called)


def _rule(text: str) -> tuple[str, object]:
    """A rule's dotted key with its value. A name without a dot means a rule in ``[rules]``."""
    from vestigo.errors import InputError
    from vestigo.rules.values import from_text

    key, equals, value = (part.strip() for part in text.partition("="))
    if not key or not equals:
        raise InputError(f"--rules {text}: is not RULE=VALUE; write max_entries=500, for example")
    key = key if key.startswith(("rules.", "lookup.", "pool.")) else f"rules.{key}"
    return key, value if key.endswith(".pin") and not value.startswith("[") else from_text(value)


def intake_options(stated: list[str] | None, strict: bool = False) -> dict[str, object]:
    """The options of ``--intake``, as Intake takes them. If a key of a table comes twice, it has both values."""
    from vestigo.errors import InputError

    options: dict[str, object] = {"strict": True} if strict else {}
    for text in stated or []:
        path, equals, value = text.partition("=")
        name, dot, key = path.partition(".")
        if not equals or (dot and not key):
            raise InputError(f"--intake {text}: is not KEY=VALUE; write columns.key='{{route}}:{{user}}', for example")
        if not dot:
            if isinstance(options.get(name), dict):
                raise InputError(f"--intake {text}: {name} is a table; write {name}.NAME=VALUE")
            options[name] = {"true": True, "false": False}.get(value, value)
            continue
        table = options.setdefault(name, {})
        if not isinstance(table, dict):
            raise InputError(
                f"--intake {text}: {name} was stated as {table!r} before, which is not a table; leave one out"
            )
        table[key] = (
            [*table[key], value] if isinstance(table.get(key), list) else [table[key], value] if key in table else value
        )
    return options
