"""Many replays of one trace side by side, and what is in a trace before any cache."""

from vestigo.study.candidates import Candidate
from vestigo.study.check import Check, Mistake, RuleTried, check, plan_lines
from vestigo.study.compare import Comparison, compare
from vestigo.study.confirm import Compared, Confirmation, Counters, Try, confirm, read_counters
from vestigo.study.curve import SizeCurve, size_curve, with_real_rates
from vestigo.study.drive import Clock, Difference, Driven, Explanation, Load, OriginValue, ReadCounts, drive
from vestigo.study.estimate import Estimate
from vestigo.study.key_sample import KeySample
from vestigo.study.pick import Pick
from vestigo.study.report import Report, report
from vestigo.study.run_sweep import sweep
from vestigo.study.saving import load, save
from vestigo.study.search import search
from vestigo.study.share_out import Sharing, share_out
from vestigo.study.survey import Finding, Survey, Traits, survey
from vestigo.study.sweep import Sweep
from vestigo.study.why import Advice, Stay, Step, Story, why

__all__ = [
    "Advice",
    "Candidate",
    "Check",
    "Clock",
    "Compared",
    "Comparison",
    "Confirmation",
    "Counters",
    "Difference",
    "Driven",
    "Estimate",
    "Explanation",
    "Finding",
    "KeySample",
    "Load",
    "Mistake",
    "OriginValue",
    "Pick",
    "ReadCounts",
    "Report",
    "RuleTried",
    "Sharing",
    "SizeCurve",
    "Stay",
    "Step",
    "Story",
    "Survey",
    "Sweep",
    "Traits",
    "Try",
    "check",
    "compare",
    "confirm",
    "drive",
    "load",
    "plan_lines",
    "read_counters",
    "report",
    "save",
    "search",
    "share_out",
    "size_curve",
    "survey",
    "sweep",
    "why",
    "with_real_rates",
]
