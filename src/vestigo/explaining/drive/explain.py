"""Looks for the settings that explain a cache's answers best: it keeps what explains most, and goes on from there.

It begins with the rules that the answers show by themselves, and says in the end which rules no answer put to the test.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vestigo.engine.job import job
from vestigo.engine.watch import answers_of
from vestigo.errors import RulesError
from vestigo.explaining.drive.answers import Given, Marks, ages_of_replay, marks_of_replay
from vestigo.explaining.drive.driven import Explanation
from vestigo.explaining.drive.offered import Offered
from vestigo.explaining.hypotheses.catalogue import of_rules
from vestigo.explaining.hypotheses.stated_rules import StatedRule, stated_rules, without
from vestigo.explaining.hypotheses.trying import Score, Tried, Trying, trying
from vestigo.outcome.seen import NO_AGE, Answers
from vestigo.prepared.neighbours import goes_on
from vestigo.progress import Progress, say_nothing
from vestigo.rounding import ROUND
from vestigo.rules import Plan
from vestigo.threads import side_by_side
from vestigo.trace import Op, Trace
from vestigo.units import Duration

_FAR = 4
"""Times a size: up to there others are tried that explain as much."""
_LEAST_GAIN = 0.01
"""In parts of the reads that are answered differently: less explains nothing."""


def as_observed(plan: Plan, offered: Offered, given: Given, driven: Marks) -> Plan:
    """The plan with the rules on nulls and on writes that the answers show."""
    hits = driven.of(driven.hit)
    value = given.value[hits.rows]
    rules: dict[str, object] = {"rules.nulls": "keep" if offered.null[value].any() else "skip"}
    writes = offered.trace.op == Op.WRITE
    if writes.any():
        was_changed = offered.changed_at[value] <= offered.trace.at[hits.rows]
        replaces, leaves = writes[value].any(), was_changed.any()
        rules["rules.on_write"] = "replace" if replaces else "leave" if leaves else "drop"
    return plan.changed(rules)


@dataclass(frozen=True)
class Judge:
    """Counts how many reads a replay answers like the driven cache."""

    trace: Trace
    driven: Marks

    def marks(self, plan: Plan) -> Marks:
        """Raises RulesError."""
        return marks_of_replay(self._answers(plan), self.driven.rows)

    def alike(self, plan: Plan) -> np.ndarray:
        """By look-up. Raises RulesError."""
        alike = self.driven.alike(ages_of_replay(self._answers(plan), self.driven.rows))
        return np.bincount(self.lookups[alike], minlength=len(self.trace.lookups))

    def _answers(self, plan: Plan) -> Answers:
        return answers_of(job(self.trace, plan, instant=True))

    @cached_property
    def lookups(self) -> np.ndarray:
        """Of each read."""
        return self.trace.lookup[self.driven.rows]

    @cached_property
    def score(self) -> Score[np.ndarray]:
        """How many reads are answered otherwise than the cache answered them."""
        reads = np.bincount(self.lookups, minlength=len(self.trace.lookups))

        def by_lookup(alike: np.ndarray) -> Mapping[str, float]:
            return dict(zip(self.trace.lookups, (reads - alike).tolist(), strict=True))

        return Score(lambda _, plan, __: self.alike(plan), lambda alike: float((reads - alike).sum()), by_lookup)


def explanations(
    judge: Judge, plan: Plan, most: int, progress: Progress = say_nothing
) -> tuple[list[Explanation], Plan]:
    """The changes that explain the cache better, and the plan with all of them. The most important one is first, and
    each comes on top of those before.
    """
    explained: dict[tuple[str, ...], Tried[np.ndarray]] = {}
    reads, alike, shown = len(judge.driven.rows), judge.alike(plan), _lifetimes_shown(judge)
    for _ in range(most):
        differ = reads - int(alike.sum())
        if not differ:
            break
        progress(f"looking for what explains the cache: {1 - differ / reads:.1%} of the reads so far", 0, 0)
        with trying(judge.trace, plan, judge.score) as tries:
            ranked = tries.best_of_each_kind(of_rules(judge.trace, plan, shown), alike)
        if not ranked or differ - ranked[0].off <= _LEAST_GAIN * differ:
            break
        best = ranked[0]
        plan, alike = best.plan, best.gives
        explained.pop(tuple(best.changes), None)  # a better value of the same rule replaces it
        explained[tuple(best.changes)] = best
    with trying(judge.trace, plan, judge.score) as tries:
        least = reads - int(alike.sum())
        return [
            Explanation(_said(tries, one, least), one.changes, int(one.gives.sum())) for one in explained.values()
        ], plan


def _said(tries: Trying[np.ndarray], best: Tried[np.ndarray], least: int) -> str:
    """An explanation in words. With a size, it names the range of sizes that explain the cache equally well."""
    amount = best.hypothesis.amount
    if amount is None or isinstance(amount.value, Duration):
        return best.what
    size = amount.value

    def is_as_good(other: int) -> bool:
        then = tries.with_amount(best, other) if 0 < other <= _FAR * size else None
        return then is not None and then.off <= least

    def last(sign: int) -> int:
        here, step = size, 1
        while is_as_good(here + sign * step):
            here, step = here + sign * step, step * 2
        while step := step // 2:
            here += sign * step if is_as_good(here + sign * step) else 0
        return here

    low, high = last(-1), last(1)
    return f"{best.what} ({low:,} to {high:,} explain as much)" if low < high else best.what


def _lifetimes_shown(judge: Judge) -> dict[str, list[Duration]]:
    """Lifetimes from the oldest answer and the longest time between two uses. No lifetime can have been shorter than
    these.
    """
    oldest = int(judge.driven.age_ns.max(initial=NO_AGE))
    return {"absolute": _spans_from(oldest), "sliding": _spans_from(_longest_idle(judge.trace, judge.driven))}


def _spans_from(most_ns: int) -> list[Duration]:
    """The next round times above a time, and the time itself."""
    if most_ns <= 0:
        return []
    longer = [span for span in ROUND if span >= most_ns][:3]
    return [*longer, Duration(most_ns + 1)]


def _longest_idle(trace: Trace, driven: Marks) -> int:
    """The longest time between a hit and the read of its key before it, on its node."""
    rows = driven.rows
    order = np.lexsort((rows, trace.node[rows], trace.key[rows]))
    key, node, at = (column[rows][order] for column in (trace.key, trace.node, trace.at))
    again = goes_on(key, node) & driven.hit[order]
    return int(np.diff(at, prepend=0)[again].max(initial=NO_AGE))


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
