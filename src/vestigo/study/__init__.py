"""Many replays of one trace, side by side; and what is in it before any cache."""

from vestigo.study.choose import Pick
from vestigo.study.compare import Comparison, compare
from vestigo.study.curve import SizeCurve, replayed_curve, size_curve, with_real_rates
from vestigo.study.sampling import Estimate, Sampler
from vestigo.study.search import search
from vestigo.study.share_out import Sharing, share_out
from vestigo.study.study import Candidate, Study
from vestigo.study.survey import Finding, Survey, Traits, survey
from vestigo.study.sweep import sweep

__all__ = [
    "Candidate",
    "Comparison",
    "Estimate",
    "Finding",
    "Pick",
    "Sampler",
    "Sharing",
    "SizeCurve",
    "Study",
    "Survey",
    "Traits",
    "compare",
    "replayed_curve",
    "search",
    "share_out",
    "size_curve",
    "survey",
    "sweep",
    "with_real_rates",
]
