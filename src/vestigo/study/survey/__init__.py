"""What is in a trace before any cache: which look-ups are worth keeping, and why."""

from vestigo.study.survey.findings import Finding
from vestigo.study.survey.survey import Survey, survey
from vestigo.study.survey.traits import Traits

__all__ = ["Finding", "Survey", "Traits", "survey"]
