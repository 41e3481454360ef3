"""Many replays of one trace, side by side; and what is in it before any cache."""

from vestigo.study.compare import Comparison, compare
from vestigo.study.survey import Finding, Survey, Traits, survey

__all__ = ["Comparison", "Finding", "Survey", "Traits", "compare", "survey"]
