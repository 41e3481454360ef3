"""Tries hypotheses: replays each, narrows it down to the look-ups where it helps, and refines its amount.

Who asks says what a replay gives and how far off that is: reads that are answered otherwise (`drive`), the distance
from counters (`confirm`), hits of a key that are missing (`why`).
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any, Generic, TypeVar

from vestigo.errors import InputError
from vestigo.explaining.hypotheses.amounts import resolution, rounder, with_amount
from vestigo.explaining.hypotheses.catalogue import SHARED
from vestigo.explaining.hypotheses.hypothesis import Hypothesis
from vestigo.rules import Plan, Pool
from vestigo.rules.stated import Stated
from vestigo.rules.vary import Changes
from vestigo.threads import side_by_side
from vestigo.trace import Trace

_R = TypeVar("_R")
_REFINED = 6
"""The best of so many kinds are refined, and what only has another amount of a stated rule."""


@dataclass(frozen=True)
class Tried(Generic[_R]):
    """A hypothesis, and what a replay gives if it holds."""

    hypothesis: Hypothesis
    lookups: tuple[str, ...]
    """The look-ups for which it holds. Empty means all."""
    changes: Changes
    """What it changes of the plan, by dotted key."""
    plan: Plan
    gives: _R
    off: float
    """How far off that is. Less is better."""

    @property
    def what(self) -> str:
        return self.hypothesis.said_of(self.lookups)


@dataclass(frozen=True)
class Score(Generic[_R]):
    """What a replay gives, and how far that is off what is to be explained."""

    replay: Callable[[Trace, Plan, bool], _R]
    """From a trace, a plan, and whether the cache begins empty. Raises InputError where the plan does not fit."""
    off: Callable[[_R], float]
    off_by_lookup: Callable[[_R], Mapping[str, float]] | None = None
    """If it is known for each look-up, a hypothesis may be found to hold for some of them only."""


@dataclass(frozen=True)
class Trying(Generic[_R]):
    trace: Trace
    plan: Plan
    score: Score[_R]
    run_all: Callable[..., Iterator[Any]]
    """Runs a function for each of some arguments, side by side."""

    def best_of_each_kind(self, hypotheses: Iterable[Hypothesis], today: _R) -> list[Tried[_R]]:
        """The best hypotheses that change anything, with amounts that nothing near them beats, the best first. Equally
        good ones keep their order.
        """
        tried = [trial for trial in self.all_tried(hypotheses, today) if self._differs(trial, today)]
        kinds = list(dict.fromkeys(trial.hypothesis.kind for trial in tried))
        of_kinds: dict[tuple[object, ...], Tried[_R]] = {}
        for trial in sorted(tried, key=_off):
            of_kinds.setdefault(trial.hypothesis.kind, trial)
        ranked = list(of_kinds.values())
        rest = ranked[_REFINED:]
        of_stated = [trial for trial in rest if trial.hypothesis.is_amount_stated]
        refined = [*self.run_all(self._refined, [*ranked[:_REFINED], *of_stated])]
        if all(trial.off for trial in refined):
            # With a wrong size the right policy looks bad, too, so sizes are refined however bad they look.
            sizes = [trial for trial in rest if trial.hypothesis.is_size and not trial.hypothesis.is_amount_stated]
            refined += self.run_all(self._refined, sizes)
        best: dict[tuple[object, ...], Tried[_R]] = {}
        for trial in sorted(refined, key=lambda trial: (trial.off, kinds.index(trial.hypothesis.kind))):
            best.setdefault(trial.hypothesis.names, trial)
        return list(best.values())

    def all_tried(self, hypotheses: Iterable[Hypothesis], today: _R) -> list[Tried[_R]]:
        """Those that fit the plan, in their order. What takes longest begins first."""
        wanted = list(enumerate(hypotheses))
        wanted.sort(key=lambda one: not one[1].adds_rows)
        found = self.run_all(lambda one: (one[0], self._where_it_helps(one[1], today)), wanted)
        return [one for _, one in sorted(found, key=lambda one: one[0]) if one is not None]

    def replayed(self, hypothesis: Hypothesis, lookups: Sequence[str] = ()) -> Tried[_R] | None:
        """What a replay gives if a hypothesis holds for some look-ups, or for all. None if it does not fit the plan."""
        every = self.trace.lookups
        changes = {**keys_for(self.plan, hypothesis.rules, lookups or every, every), **hypothesis.keys}
        try:
            plan = with_changes(self.plan, changes)
            on = self.trace if hypothesis.on is None else hypothesis.on(self.trace)
            gives = self.score.replay(on, plan, hypothesis.is_cold)
        except InputError:
            return None
        return Tried(hypothesis, tuple(lookups), changes, plan, gives, self.score.off(gives))

    def _differs(self, one: Tried[_R], today: _R) -> bool:
        off = self.score.off_by_lookup
        return one.off != self.score.off(today) or (off is not None and off(one.gives) != off(today))

    def _where_it_helps(self, hypothesis: Hypothesis, today: _R) -> Tried[_R] | None:
        """For only those look-ups where it brings the replay nearer, if it does harm elsewhere and that is better."""
        everywhere, off = self.replayed(hypothesis), self.score.off_by_lookup
        if everywhere is None or off is None or not hypothesis.rules or (hypothesis.is_of_pools and self.plan.pools):
            return everywhere
        before, after = off(today), off(everywhere.gives)
        nearer = [name for name in before if after[name] < before[name]]
        if not nearer or all(after[name] <= before[name] for name in before):
            return everywhere
        alone = self.replayed(hypothesis, nearer)
        return everywhere if alone is None else min(everywhere, alone, key=_off)

    def _refined(self, best: Tried[_R]) -> Tried[_R]:
        """The same with a nearby amount that is better, if there is one."""
        if best.hypothesis.amount is None:
            return best
        here = best.hypothesis.amount.value
        step = here // 4
        while best.off > 0 and step >= resolution(here):
            nearer = self._nearest(best, (here - step, here + step))
            if nearer is best:
                step //= 2
            elif nearer.hypothesis.amount is not None:
                best, here = nearer, nearer.hypothesis.amount.value
        return self._nearest(best, rounder(here))

    def _nearest(self, best: Tried[_R], amounts: Iterable[int]) -> Tried[_R]:
        """The best, or the same with another amount that is better."""
        found = [self.with_amount(best, amount) for amount in amounts]
        return min((best, *(one for one in found if one is not None)), key=_off)

    def with_amount(self, tried: Tried[_R], amount: int) -> Tried[_R] | None:
        """The same with another amount. None if that does not fit the plan, or is too far from what it states."""
        other = with_amount(tried.hypothesis, amount)
        return None if other is None else self.replayed(other, tried.lookups)


@contextmanager
def trying(trace: Trace, plan: Plan, score: Score[_R]) -> Iterator[Trying[_R]]:
    """Tries hypotheses on a plan, side by side."""
    with side_by_side() as threads:
        yield Trying(trace, plan, score, threads.map)


def with_changes(plan: Plan, changes: Changes) -> Plan:
    """Like `changed`, but look-ups may also come to share a room. Raises RulesError."""
    lookups = changes.get(SHARED)
    if lookups is not None:
        plan = replace(plan, pools={"all": Pool(lookups=lookups)})
    rest = {key: value for key, value in changes.items() if key != SHARED}
    return plan.changed(rest) if rest else plan


def keys_for(
    plan: Plan, rules: Mapping[str, object], lookups: Sequence[str], every: Sequence[str]
) -> dict[str, object]:
    """The dotted keys and values that make rules hold for some `lookups`, where `every` has all of them.

    >>> plan = Plan(lookups={"vessel": {"sliding": "5m"}})
    >>> keys_for(plan, {"sliding": "1m"}, ["vessel", "berth"], ["vessel", "berth"])
    {'rules.sliding': '1m', 'lookup.vessel.sliding': '1m'}
    """
    changes: dict[str, object] = {}
    is_all = len(lookups) == len(every)
    for rule, value in rules.items():
        if is_all:
            changes[f"rules.{rule}"] = value
        for name in lookups:
            pool = plan.pool_for(name)
            if pool is not None and rule in Pool.model_fields:
                changes[f"pool.{pool}.{rule}"] = value
            elif not is_all or rule in Stated.by(plan.lookups.get(name, {})):
                changes[f"lookup.{name}.{rule}"] = value
    return changes


def _off(one: Tried[_R]) -> float:
    return one.off
