"""What each rule of a plan earns, and what is likely wrong with it."""

from vestigo.study.check.check import check
from vestigo.study.check.lines import plan_lines
from vestigo.study.check.result import Check, Mistake, RuleTried

__all__ = ["Check", "Mistake", "RuleTried", "check", "plan_lines"]
