"""What stands for sizes and costs that a trace does not give, in look-ups that give none at all."""

from typing import NamedTuple

from vestigo.rules import Plan
from vestigo.trace import Trace
from vestigo.trace.columns import MISSING


class Assumed(NamedTuple):
    """For each look-up, what stands for its sizes and costs if it gives none."""

    size: tuple[int, ...]
    cost: tuple[int, ...]


def assume(trace: Trace, plan: Plan) -> Assumed:
    """What the plan assumes where the trace leaves something open."""
    rules = [plan.rules_for(name) for name in trace.lookups]
    defaults = [Plan().rules] * len(rules)
    sizes = rules if trace.size_range.least == MISSING else defaults
    costs = rules if trace.cost_range.least == MISSING else defaults
    return Assumed(tuple(one.assume_size for one in sizes), tuple(int(one.assume_cost) for one in costs))
