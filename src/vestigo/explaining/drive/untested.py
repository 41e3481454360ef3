"""Which rules a trace never put to the test: without them, a replay answers every read in the same way."""

from vestigo.errors import RulesError
from vestigo.explaining.drive.answers import Marks
from vestigo.explaining.drive.explain import Judge
from vestigo.explaining.hypotheses.stated_rules import StatedRule, stated_rules, without
from vestigo.rules import Plan
from vestigo.threads import side_by_side


def untested(judge: Judge, plan: Plan, replayed: Marks) -> list[str]:
    """The stated rules, as a plan writes them, of which the answers say nothing."""

    def is_idle(stated: StatedRule) -> bool:
        try:
            then = judge.marks(without(plan, stated))
        except RulesError:  # another rule needs this one
            return False
        return bool(replayed.alike(then.age_ns).all())

    every = stated_rules(plan, judge.trace)
    with side_by_side() as threads:
        idle = threads.map(is_idle, every)
        return [f"{one.key} = {one.written}" for one, never in zip(every, idle, strict=True) if never]
