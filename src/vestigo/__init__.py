"""Replays recorded read traces against in-process cache settings, to choose them by what they would have given.

The public names. Each is imported when it is first used, so that ``import vestigo`` costs nothing.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vestigo.engine import replay, what_if
    from vestigo.errors import InputError, PlanError, RulesError, TraceError, VestigoError
    from vestigo.outcome import Measures, Outcome
    from vestigo.recording import Recorder
    from vestigo.rules import Plan, Policy, Pool, Rules, WhatIf, read_plan
    from vestigo.show import figures
    from vestigo.study import Comparison, Survey, compare, survey
    from vestigo.trace import Intake, Trace, read_trace, shape, synth, write_trace
    from vestigo.units import Duration

__version__ = "0.1.0"

_HOMES = {
    "Comparison": "study",
    "Duration": "units",
    "InputError": "errors",
    "Intake": "trace",
    "Measures": "outcome",
    "Outcome": "outcome",
    "Plan": "rules",
    "PlanError": "errors",
    "Policy": "rules",
    "Pool": "rules",
    "Recorder": "recording",
    "Rules": "rules",
    "RulesError": "errors",
    "Survey": "study",
    "Trace": "trace",
    "TraceError": "errors",
    "VestigoError": "errors",
    "WhatIf": "rules",
    "compare": "study",
    "figures": "show.figures",
    "read_plan": "rules",
    "read_trace": "trace",
    "replay": "engine",
    "shape": "trace.shape",
    "survey": "study",
    "synth": "trace",
    "what_if": "engine.what_if",
    "write_trace": "trace",
}

_MODULES = ("figures", "shape", "what_if")

__all__ = [
    "Comparison",
    "Duration",
    "InputError",
    "Intake",
    "Measures",
    "Outcome",
    "Plan",
    "PlanError",
    "Policy",
    "Pool",
    "Recorder",
    "Rules",
    "RulesError",
    "Survey",
    "Trace",
    "TraceError",
    "VestigoError",
    "WhatIf",
    "__version__",
    "compare",
    "figures",
    "read_plan",
    "read_trace",
    "replay",
    "shape",
    "survey",
    "synth",
    "what_if",
    "write_trace",
]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'vestigo' has no attribute {name!r}")
    home = import_module(f"vestigo.{_HOMES[name]}")
    return home if name in _MODULES else getattr(home, name)


def __dir__() -> list[str]:
    return __all__
