"""What users may give as settings, and as the trace to replay."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from vestigo.errors import InputError, RulesError
from vestigo.rules.plan import Plan
from vestigo.rules.plan_file import read_plan
from vestigo.rules.rules import Rules
from vestigo.trace import Readable, Trace, read_trace

Settings = Rules | Plan | str | Path
"""Rules for every look-up, a plan, or the path of a plan file."""


def plan_of(settings: Settings) -> Plan:
    """The plan that settings in any form stand for. Raises PlanError for a file that cannot be used.

    >>> plan_of(Rules(max_entries=5)).rules
    Rules(max_entries=5)
    """
    if isinstance(settings, Plan):
        return settings
    if isinstance(settings, Rules):
        return Plan(settings)
    if isinstance(settings, (str, Path)):
        return read_plan(settings)
    raise InputError(f"{type(settings).__name__} is not settings; give Rules, a Plan, or the path of a plan file")


_Value = TypeVar("_Value")


def argument(name: str, read: Callable[[object], _Value], value: object) -> _Value:
    """Reads an argument of a call like a value in a plan file. Raises RulesError, which names the argument.

    >>> from vestigo.units import parse_bytes
    >>> argument("total", parse_bytes, "1 KiB")
    1024
    """
    try:
        return read(value)
    except ValueError as error:
        raise RulesError(f"{name}: {error}") from None


def trace_of(trace: Readable, plan: Plan) -> Trace:
    """The trace, read by `read_trace` with the columns that the plan names. Raises TraceError."""
    return trace if isinstance(trace, Trace) else read_trace(trace, plan.intake)
