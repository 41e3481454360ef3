"""Replays recorded read traces against in-process cache settings, to choose them by what they would have given.

The public names. Each is imported when it is first used, so that ``import vestigo`` costs nothing.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from vestigo.engine import replay, what_if
    from vestigo.errors import InputError, Interrupted, PlanError, RulesError, TraceError, VestigoError
    from vestigo.outcome import Measures, Outcome
    from vestigo.recording import Recorder
    from vestigo.rules import Aim, Plan, Policy, Pool, Rules, WhatIf, Worth, read_plan
    from vestigo.show import figures
    from vestigo.study import (
        Candidate,
        Comparison,
        Estimate,
        Pick,
        Sampler,
        Sharing,
        SizeCurve,
        Study,
        Survey,
        compare,
        replayed_curve,
        search,
        share_out,
        size_curve,
        survey,
        sweep,
    )
    from vestigo.trace import Intake, Trace, read_trace, shape, synth, write_trace
    from vestigo.units import Duration

__version__ = "0.1.0"

_HOMES = {
    "Aim": "rules",
    "Candidate": "study",
    "Comparison": "study",
    "Duration": "units",
    "Estimate": "study",
    "InputError": "errors",
    "Intake": "trace",
    "Interrupted": "errors",
    "Measures": "outcome",
    "Outcome": "outcome",
    "Pick": "study",
    "Plan": "rules",
    "PlanError": "errors",
    "Policy": "rules",
    "Pool": "rules",
    "Recorder": "recording",
    "Rules": "rules",
    "RulesError": "errors",
    "Sampler": "study",
    "Sharing": "study",
    "SizeCurve": "study",
    "Study": "study",
    "Survey": "study",
    "Trace": "trace",
    "TraceError": "errors",
    "VestigoError": "errors",
    "WhatIf": "rules",
    "Worth": "rules",
    "compare": "study",
    "figures": "show.figures",
    "read_plan": "rules",
    "read_trace": "trace",
    "replay": "engine",
    "replayed_curve": "study",
    "search": "study",
    "shape": "trace.shape",
    "share_out": "study",
    "size_curve": "study",
    "survey": "study",
    "sweep": "study",
    "synth": "trace",
    "what_if": "engine.what_if",
    "write_trace": "trace",
}

_MODULES = ("figures", "shape", "what_if")

__all__ = [
    "Aim",
    "Candidate",
    "Comparison",
    "Duration",
    "Estimate",
    "InputError",
    "Intake",
    "Interrupted",
    "Measures",
    "Outcome",
    "Pick",
    "Plan",
    "PlanError",
    "Policy",
    "Pool",
    "Recorder",
    "Rules",
    "RulesError",
    "Sampler",
    "Sharing",
    "SizeCurve",
    "Study",
    "Survey",
    "Trace",
    "TraceError",
    "VestigoError",
    "WhatIf",
    "Worth",
    "__version__",
    "compare",
    "figures",
    "read_plan",
    "read_trace",
    "replay",
    "replayed_curve",
    "search",
    "shape",
    "share_out",
    "size_curve",
    "survey",
    "sweep",
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
