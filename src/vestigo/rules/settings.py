"""What users may give as settings, and as the trace to replay."""

from dataclasses import replace
from pathlib import Path
from typing import get_args

from vestigo.arguments import one_of, shown
from vestigo.errors import RulesError
from vestigo.rules.plan import Engine, Plan
from vestigo.rules.plan_file import read_plan
from vestigo.rules.rules import Rules
from vestigo.trace import Readable, Trace, read_trace

Settings = Rules | Plan | str | Path
"""Rules for every look-up, a plan, or the path of a plan file."""


def plan_of(settings: Settings, engine: Engine = "native") -> Plan:
    """The plan that settings in any form stand for, to be replayed by an engine. Raises PlanError for a file that
    cannot be used, and UnknownName for an engine that does not exist.

    >>> plan_of(Rules(max_entries=5)).rules
    Rules(max_entries=5)
    """
    one_of("engine", engine, get_args(Engine))
    plan = _plan_of(settings)
    return plan if plan.engine == engine else replace(plan, engine=engine)


def _plan_of(settings: Settings) -> Plan:
    if isinstance(settings, Plan):
        return settings
    if isinstance(settings, Rules):
        return Plan(settings)
    if isinstance(settings, str) and not Path(settings).suffix and not Path(settings).exists():
        instead = f"Rules({settings})" if "=" in settings else "Rules(...), a Plan, or the path of a plan file"
        raise RulesError(f"settings: there is no plan file {settings!r}; give {instead}")
    if isinstance(settings, (str, Path)):
        return read_plan(settings)
    raise RulesError(f"settings: {shown(settings)} is no settings; give Rules(...), a Plan, or the path of a plan file")


def trace_of(trace: Readable, plan: Plan) -> Trace:
    """The trace, read by `read_trace` with the columns that the plan names. Raises TraceError."""
    return trace if isinstance(trace, Trace) else read_trace(trace, plan.intake)
