"""What a call asks for: the settings, the trace, the look-ups."""

import dataclasses
import shlex
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vestigo.cli.screen import Progress
    from vestigo.rules import Plan
    from vestigo.trace import Trace

PLAN = Path("plan.toml")
_SLOW_SECONDS = 2.0
_MOST_NOTES = 20
_MOST_NAMED = 4
"""So many files are named in advice. More are what a shell made of a pattern."""


def plan_for(path: Path | None, rules: list[str] | None = None, *, is_needed: bool = False) -> "Plan | None":
    """The plan, with the rules of ``--rules`` put over its own. If nothing is stated, None, or InputError if the plan
    `is_needed`.
    """
    from vestigo.cli.screen import say_below
    from vestigo.errors import InputError
    from vestigo.rules import Plan, read_plan
    from vestigo.rules.plan import Called

    if path is None and PLAN.exists():
        path = PLAN
        say_below(f"Settings: {PLAN} in this folder.")
    if path is None and not rules:
        if is_needed:
            raise InputError(
                "no settings: name a plan file (--plan FILE), or state rules, such as --rules max_entries=500"
            )
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


def _rule(text: str) -> tuple[str, Any]:
    """A rule's dotted key with its value. A name without a dot means a rule in ``[rules]``."""
    from vestigo.errors import InputError
    from vestigo.rules.values import from_text

    key, equals, value = (part.strip() for part in text.partition("="))
    if not key or not equals:
        raise InputError(f"--rules {text}: is not RULE=VALUE; write max_entries=500, for example")
    key = key if key.startswith(("rules.", "lookup.", "pool.")) else f"rules.{key}"
    return key, value if key.endswith(".pin") and not value.startswith("[") else from_text(value)


def read(
    where: list[str] | None,
    plan: "Plan | None",
    options: dict[str, Any],
    progress: "Progress",
    *,
    is_converted: bool = False,
) -> "Trace":
    """The trace, with notes on what was assumed, and advice to convert it if reading is slow. Raises InputError."""
    from vestigo.cli.screen import note
    from vestigo.compiled import texts
    from vestigo.errors import InputError
    from vestigo.trace import Intake, read_trace

    source = where or ([str(plan.trace_path)] if plan and plan.trace_path else None)
    if source is None:
        raise InputError("no trace: name one on the command line, or as path in the [trace] of a plan")
    shown = {"-": "standard input"}.get(source[0], Path(source[0]).name) if len(source) == 1 else f"{len(source)} files"
    progress.step(f"reading {shown}")
    texts.end_with(2)  # the same status as for any wrong input
    begun = time.monotonic()
    trace = read_trace(source[0] if len(source) == 1 else source, plan.intake if plan else Intake(), **options)
    seconds = time.monotonic() - begun
    for said in trace.notes[:_MOST_NOTES]:
        note(said)
    if len(trace.notes) > _MOST_NOTES:
        note(f"and {len(trace.notes) - _MOST_NOTES:,} more notes of this kind, on other files")
    if trace.moved:
        note(f"{trace.source}: {trace.moved:,} rows came after a later one; they were sorted into place")
    if seconds > _SLOW_SECONDS and not is_converted and not source[-1].endswith(".arrow"):
        words = shlex.join(source) if len(source) < _MOST_NAMED else "TRACE..."
        note(f"reading took {seconds:.0f} s; prepare it once, and it opens at once: vestigo convert {words} NAME.arrow")
    return trace


def words_for(
    trace: list[str] | None, plan: Path | None, rules: list[str] | None, intake: list[str] | None, strict: bool = False
) -> list[str]:
    """The options that another verb needs for the same trace and settings."""
    options = {"--plan": [str(plan)] if plan else [], "--rules": rules or [], "--intake": intake or []}
    words = list(trace or [])
    words += [word for name, each in options.items() for one in each for word in (name, one)]
    return words + ["--strict"] * strict


def check_lookups(names: Sequence[str] | None, trace: "Trace") -> None:
    """Raises InputError for a look-up that the trace does not have."""
    from vestigo.errors import InputError, unknown

    problems = [f"--lookup: {unknown(name, list(trace.lookups))}" for name in names or () if name not in trace.lookups]
    if problems:
        raise InputError(problems)


def secret_in(path: Path) -> bytes:
    """The content of a file, without blanks around it. Raises InputError."""
    from vestigo.errors import InputError

    try:
        return path.read_bytes().strip()
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror}") from None


def intake_options(stated: list[str] | None, strict: bool = False) -> dict[str, Any]:
    """The options of ``--intake``, as Intake takes them. If a key of a table comes twice, it has both values."""
    from vestigo.errors import InputError

    options: dict[str, Any] = {"strict": True} if strict else {}
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
