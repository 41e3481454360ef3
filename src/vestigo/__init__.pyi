"""The public names, each imported when it is first used (see `__init__.py`)."""

from .choosing.across.across import Across
from .choosing.across.run import across
from .choosing.candidates import Candidate
from .choosing.compare import Comparison, compare
from .choosing.estimate import Estimate
from .choosing.finding.found import Search
from .choosing.finding.search import search
from .choosing.key_sample import KeySample
from .choosing.pick import Pick
from .choosing.rehearsing.rehearsed import Rehearsed
from .choosing.run_sweep import sweep
from .choosing.sweep import Sweep
from .describing.findings import Finding
from .describing.hit_times import HitTimes, TimesOfSize
from .describing.survey import Survey, survey
from .engine import key_by_key, read_by_read, replay, what_if
from .engine.size_curve import SizeCurve, size_curve
from .errors import (
    InputError,
    Interrupted,
    PlanError,
    RulesError,
    TraceError,
    UnknownName,
    VestigoError,
    WorkersLost,
)
from .explaining.check.findings import Check, Mistake
from .explaining.check.trials import check
from .explaining.confirm.compare import confirm
from .explaining.confirm.confirmation import Compared, Confirmation, Try
from .explaining.confirm.expected import Expected, Normal, expected
from .explaining.drift.chance import Beside
from .explaining.drift.drift import Drift, Trait
from .explaining.drift.effects import Effect
from .explaining.drift.run import drift
from .explaining.drive.clock import Clock
from .explaining.drive.costs import Costs
from .explaining.drive.driven import Difference, Driven, Explanation, ReadCounts
from .explaining.drive.functions import Load
from .explaining.drive.offered import OriginValue
from .explaining.drive.run import drive
from .explaining.rehearse.rehearsal import Rehearsal
from .explaining.rehearse.run import rehearse
from .explaining.report import Report, report
from .explaining.why.story import Advice, Step, Story
from .explaining.why.tell import why
from .interval import Interval
from .outcome import Keys, Measures, Outcome, Reads, Slice
from .recording import Recorder
from .rules import Aim, CounterNames, Origin, Plan, Policy, Pool, Room, Rules, Value, WhatIf, Worth, read_plan
from .saving import load, save
from .show import figures
from .show.own_form import fill_in
from .trace import Intake, Op, Trace, read_trace, shape, synth, write_trace
from .units import Duration

__version__: str

__all__ = [
    "Across",
    "Advice",
    "Aim",
    "Beside",
    "Candidate",
    "Check",
    "Clock",
    "Compared",
    "Comparison",
    "Confirmation",
    "Costs",
    "CounterNames",
    "Difference",
    "Drift",
    "Driven",
    "Duration",
    "Effect",
    "Estimate",
    "Expected",
    "Explanation",
    "Finding",
    "HitTimes",
    "InputError",
    "Intake",
    "Interrupted",
    "Interval",
    "KeySample",
    "Keys",
    "Load",
    "Measures",
    "Mistake",
    "Normal",
    "Op",
    "Origin",
    "OriginValue",
    "Outcome",
    "Pick",
    "Plan",
    "PlanError",
    "Policy",
    "Pool",
    "ReadCounts",
    "Reads",
    "Recorder",
    "Rehearsal",
    "Rehearsed",
    "Report",
    "Room",
    "Rules",
    "RulesError",
    "Search",
    "SizeCurve",
    "Slice",
    "Step",
    "Story",
    "Survey",
    "Sweep",
    "TimesOfSize",
    "Trace",
    "TraceError",
    "Trait",
    "Try",
    "UnknownName",
    "Value",
    "VestigoError",
    "WhatIf",
    "WorkersLost",
    "Worth",
    "__version__",
    "across",
    "check",
    "compare",
    "confirm",
    "drift",
    "drive",
    "expected",
    "figures",
    "fill_in",
    "key_by_key",
    "load",
    "read_by_read",
    "read_plan",
    "read_trace",
    "rehearse",
    "replay",
    "report",
    "save",
    "search",
    "shape",
    "size_curve",
    "survey",
    "sweep",
    "synth",
    "what_if",
    "why",
    "write_trace",
]
