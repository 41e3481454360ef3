"""The public names, each imported when it is first used (see `__init__.py`)."""

from .engine import replay, what_if
from .errors import InputError, Interrupted, PlanError, RulesError, TraceError, VestigoError
from .outcome import Measures, Outcome, Slice
from .recording import Recorder
from .rules import Aim, Plan, Policy, Pool, Room, Rules, Value, WhatIf, Worth, read_plan
from .show import figures
from .study import (
    Candidate,
    Comparison,
    Estimate,
    Finding,
    KeySample,
    Pick,
    Sharing,
    SizeCurve,
    Survey,
    Sweep,
    compare,
    load,
    replayed_curve,
    save,
    search,
    share_out,
    size_curve,
    survey,
    sweep,
)
from .trace import Intake, Op, Trace, read_trace, shape, synth, write_trace
from .units import Duration

__version__: str

__all__ = [
    "Aim",
    "Candidate",
    "Comparison",
    "Duration",
    "Estimate",
    "Finding",
    "InputError",
    "Intake",
    "Interrupted",
    "KeySample",
    "Measures",
    "Op",
    "Outcome",
    "Pick",
    "Plan",
    "PlanError",
    "Policy",
    "Pool",
    "Recorder",
    "Room",
    "Rules",
    "RulesError",
    "Sharing",
    "SizeCurve",
    "Slice",
    "Survey",
    "Sweep",
    "Trace",
    "TraceError",
    "Value",
    "VestigoError",
    "WhatIf",
    "Worth",
    "__version__",
    "compare",
    "figures",
    "load",
    "read_plan",
    "read_trace",
    "replay",
    "replayed_curve",
    "save",
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
