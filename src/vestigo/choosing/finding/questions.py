"""``Questions``: asks which attempts are best together, under an aim and limits."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from math import inf
from typing import Any, NamedTuple, Protocol

import numpy as np

from vestigo.choosing.finding.attempts import Attempt
from vestigo.choosing.finding.combining import Choice, Problem, Relaxed, best, relaxed
from vestigo.choosing.finding.limits import Amounts, Ratio, Row, is_exact, ratio, row_of
from vestigo.choosing.finding.longest import is_of_longest, least_kept, least_of_shares, longest_of
from vestigo.errors import RulesError
from vestigo.measures import MEASURES, amount_of
from vestigo.memo import Memo
from vestigo.outcome import Measures
from vestigo.rules import Aim, Worth
from vestigo.rules.aim import Limit

PEAK = "memory_peak"
_MIB = 2**20
_NEAR_ENOUGH = 1e-7
_MOST_STEPS = 12


class Today(Protocol):
    """What today's settings give."""

    def measure(self, name: str, part: str = ..., /) -> float: ...


class Judged(NamedTuple):
    """What a choice costs, and whether it keeps the limits."""

    cost: float
    keeps_limits: bool


class Asked(NamedTuple):
    """What to make best, within which limits, on which part of the time."""

    aim: Aim
    limits: tuple[Limit, ...]
    """With their bounds as numbers."""
    part: str = "whole"
    from_below: bool = False
    """Whether the answer is to be a bound. Then peaks count as what is held at the ends of stretches of time, which is
    never more than they are, and limits that are only estimated are left out. Otherwise peaks count as never less than
    they are.
    """


@dataclass(frozen=True, eq=False)
class Questions(Memo):
    """The attempts of each unit; the first of each is today's setting."""

    lists: Sequence[Sequence[Attempt]]
    today: Today
    first_share: float
    """Of the stretches of time: those of the first part."""
    months: dict[str, float]
    """The length of each part of the time."""
    kept: dict[object, Any] = field(init=False, repr=False, default_factory=dict)

    @cached_property
    def _unit(self) -> np.ndarray:
        return np.repeat(np.arange(len(self.lists)), [len(attempts) for attempts in self.lists])

    @cached_property
    def _begins(self) -> np.ndarray:
        return np.cumsum([0, *(len(attempts) for attempts in self.lists)])

    def attempts(self, choice: Choice) -> tuple[Attempt, ...]:
        """The attempt of each unit."""
        return tuple(
            attempts[place - int(self._begins[number])]
            for number, (attempts, place) in enumerate(zip(self.lists, choice.attempts, strict=True))
        )

    def best(self, asked: Asked) -> Choice | None:
        """The best choice. Its cost is the aim, negated if more is better. None if no choice keeps the limits."""
        if asked.aim.best is not None and is_of_longest(asked.aim.best):
            return self._least_longest(asked, asked.aim.best)
        if (aimed := self._moving_ratio(asked)) is not None and aimed.per is not None:
            return self._best_ratio(asked, aimed, aimed.per)
        found, more = best(self.problem(asked)), self._whatever_is_chosen(asked)
        return found and found._replace(cost=found.cost + more, bound=found.bound + more)

    def could_gain(self, asked: Asked, cost: float, known: Sequence[int]) -> bool:
        """Whether a choice with an attempt that comes after the first `known` ones of its unit could cost less than
        `cost`. No choice costs less than the linear relaxation and what its attempts cost more at the prices there.
        Where the aim is not a sum of what units give, or the solver fails, that tells nothing.
        """
        if (asked.aim.best is not None and is_of_longest(asked.aim.best)) or self._moving_ratio(asked) is not None:
            return True
        if (found := self.relaxed(asked)) is None:
            return True
        is_new = np.concatenate(
            [np.arange(len(attempts)) >= count for attempts, count in zip(self.lists, known, strict=True)]
        )
        more = float(found.reduced[is_new].min(initial=inf))
        return found.cost + more + self._whatever_is_chosen(asked) < cost

    def judge(self, asked: Asked, chosen: Sequence[Attempt]) -> Judged:
        """What attempts of all units cost together, and whether they keep the limits."""
        alone = replace(
            self, lists=[[attempts[0], attempt] for attempts, attempt in zip(self.lists, chosen, strict=True)]
        )
        of_longest = asked.aim.best is not None and is_of_longest(asked.aim.best)
        problem = alone._limits(asked) if of_longest else alone.problem(asked)
        places = np.arange(len(chosen)) * 2 + 1
        keeps = all(row.amounts[places].sum() <= row.most + _NEAR_ENOUGH * abs(row.most) for row in problem.rows)
        peak = 0.0
        if problem.held is not None:
            peak = float(problem.held[places].sum(axis=0).max())
            keeps &= peak <= problem.most_held * (1 + _NEAR_ENOUGH)
        if of_longest:
            return Judged(self._longest(asked, chosen), bool(keeps))
        cost = float(problem.costs[places].sum()) + problem.held_costs * peak
        return Judged(cost + alone._whatever_is_chosen(asked), bool(keeps))

    def nearest(self, limits: Sequence[Limit]) -> Choice:
        """The choice that breaks limits least, measured in shares of their bounds, all together."""
        costs, peak_costs = np.zeros(len(self._unit)), 0.0
        for limit in limits:
            if limit.name == PEAK:
                peak_costs += 1.0 / limit.bound
                continue
            row = self._row(limit, "whole")
            costs += row.amounts / (abs(row.most) or np.abs(row.amounts).max() or 1.0)
        found = best(Problem(self._unit, costs, [], self._at_most, held_costs=peak_costs * _MIB))
        assert found is not None
        return found

    def loosened(self, asked: Asked) -> Asked:
        """The question with limits that some choice keeps: those that the nearest choice breaks are left out."""
        chosen = list(self.nearest(asked.limits).attempts)
        kept = []
        for limit in asked.limits:
            if limit.name == PEAK:
                amount, most = float(self._at_most[chosen].sum(axis=0).max()) * _MIB, limit.bound
            else:
                row = self._row(limit, asked.part)
                amount, most = float(row.amounts[chosen].sum()), row.most
            kept += [limit] if amount <= most + _NEAR_ENOUGH * abs(most) else []
        return asked._replace(limits=tuple(kept))

    def peak(self, asked: Asked) -> float:
        """The bytes that the best choice holds at most."""
        found = self.best(asked)
        return 0.0 if found is None else float(self._at_most[list(found.attempts)].sum(axis=0).max()) * _MIB

    def relaxed(self, asked: Asked) -> Relaxed | None:
        """The linear relaxation, for its prices."""
        return relaxed(self.problem(asked))

    def reached(self, asked: Asked) -> float:
        """What the aim costs at least by what was tried. It is infinite if no choice keeps the limits."""
        if asked.aim.best is not None and is_of_longest(asked.aim.best):
            limits, row_at, most = self._of_longest(asked, asked.aim.best)
            return inf if relaxed(limits) is None else least_of_shares(limits, row_at, most)[1]
        found = self.relaxed(asked)
        return inf if found is None else found.cost

    def near(self, asked: Asked) -> list[list[Attempt]]:
        """For each unit, the attempts that are best at the prices of the limits."""
        found = self.relaxed(asked)
        if found is None:
            return [[] for _ in self.lists]
        near = found.shares > 1e-6
        for begin, end in zip(self._begins, self._begins[1:], strict=False):
            near[begin + int(np.argmin(found.reduced[begin:end]))] = True
        return [
            [attempt for attempt, is_near in zip(attempts, near[begin:], strict=False) if is_near]
            for attempts, begin in zip(self.lists, self._begins.tolist(), strict=False)
        ]

    def problem(self, asked: Asked) -> Problem:
        """Raises RulesError for limits and aims that a search cannot take."""
        costs, peak_costs = self._costs(asked)
        return replace(self._limits(asked, peak_costs > 0), costs=costs, held_costs=peak_costs * _MIB)

    def _limits(self, asked: Asked, needs_peak: bool = False) -> Problem:
        """The limits alone. Every choice costs nothing."""
        limits = [limit for limit in asked.limits if limit.name != PEAK and (is_exact(limit) or not asked.from_below)]
        peaks = [limit.bound for limit in asked.limits if limit.name == PEAK and limit.sign == "<="]
        return Problem(
            self._unit,
            np.zeros(len(self._unit)),
            [self._row(limit, asked.part) for limit in limits],
            self._held(asked) if needs_peak or peaks else None,
            min(peaks, default=inf) / _MIB,
            asked=self._stretches.setdefault((asked.part, asked.from_below), []),
        )

    def _costs(self, asked: Asked) -> tuple[Amounts, float]:
        """Of each attempt, and of each byte of the peak."""
        aim = asked.aim
        if aim.best is None:
            worth, months = aim.worth or Worth(), self.months[asked.part]
            loads, stale = (
                np.array([float(getattr(one, name)) for one in self._measures(asked.part)])
                for name in ("loads", "stale_hits")
            )
            spent = loads / 1e6 * worth.million_loads + stale * worth.stale_read
            return spent / months if months else spent * 0, worth.gib_month / 2**30
        if aim.best == PEAK:
            return np.zeros(len(self._unit)), 1.0
        if is_of_longest(aim.best):
            problem, row_at, most = self._of_longest(asked, aim.best)
            below, _ = least_of_shares(problem, row_at, most)  # at its prices, settings are looked for
            return row_at(below).amounts, 0.0
        aimed = self._ratio(asked)
        if aimed is None:
            raise RulesError(f"aim: a search cannot make {MEASURES[aim.best].label} best; name a limit for it instead")
        sign = -1.0 if MEASURES[aim.best].more_is_better else 1.0
        if aimed.per is None:
            return sign * aimed.over, 0.0
        return sign * aimed.over / max(float(aimed.per[self._begins[:-1]].sum()), 1.0), 0.0

    def _least_longest(self, asked: Asked, name: str) -> Choice | None:
        def longest(choice: Choice) -> float:
            return self._longest(asked, self.attempts(choice))

        kept = least_kept(*self._of_longest(asked, name), longest)
        return kept and kept.choice._replace(cost=longest(kept.choice), bound=kept.below)

    def _longest(self, asked: Asked, chosen: Sequence[Attempt]) -> float:
        return longest_of(asked.aim.best or "", [getattr(attempt.alone, asked.part) for attempt in chosen])

    def _of_longest(self, asked: Asked, name: str) -> tuple[Problem, Callable[[float], Row], float]:
        """The limits, what a bound of the measure asks, and a bound that every choice keeps."""
        measures = self._measures(asked.part)
        most = max(float(amount_of(one, name)) for one in measures)
        return self._limits(asked), lambda bound: self._row(Limit(name, "<=", bound), asked.part), most

    def _ratio(self, asked: Asked) -> Ratio | None:
        name = asked.aim.best
        if name is None or name == PEAK:
            return None
        measures, now = self._measures(asked.part), self._now(asked.part)
        return self.once((name, asked.part), lambda: ratio(name, measures, now, self.today.measure(name, asked.part)))

    def _moving_ratio(self, asked: Asked) -> Ratio | None:
        """The aim, if it is a ratio whose divisor depends on the choice, too."""
        aimed = self._ratio(asked)
        depends = aimed is not None and aimed.per is not None and not _is_constant(aimed.per, self._unit)
        return aimed if depends else None

    def _whatever_is_chosen(self, asked: Asked) -> float:
        """What of the cost does not depend on the choice."""
        aimed = self._ratio(asked)
        if aimed is None:
            return 0.0
        return -aimed.more if MEASURES[asked.aim.best or ""].more_is_better else aimed.more

    def _best_ratio(self, asked: Asked, aimed: Ratio, per: Amounts) -> Choice | None:
        """The best choice for a ratio whose divisor depends on it, too (W. Dinkelbach, 1967)."""
        sign = -1.0 if MEASURES[asked.aim.best or ""].more_is_better else 1.0
        problem = self.problem(asked)
        at, found = float(aimed.over[self._begins[:-1]].sum() / max(per[self._begins[:-1]].sum(), 1.0)), None
        least = sum(float(per[begin:end].min()) for begin, end in zip(self._begins, self._begins[1:], strict=False))
        for _ in range(_MOST_STEPS):
            found = best(replace(problem, costs=sign * (aimed.over - at * per)))
            if found is None:
                return None
            chosen = list(found.attempts)
            now = float(aimed.over[chosen].sum() / max(per[chosen].sum(), 1.0))
            if abs(now - at) <= _NEAR_ENOUGH * max(abs(at), 1e-9):
                break
            at = now
        assert found is not None
        return Choice(found.attempts, sign * at, sign * at + min(found.bound, 0.0) / max(least, 1.0))

    def _row(self, limit: Limit, part: str) -> Row:
        def row() -> Row:
            return row_of(limit, self._measures(part), self._now(part), self.today.measure(limit.name, part))

        return self.once((limit, part), row)

    def _measures(self, part: str) -> list[Measures]:
        return [getattr(attempt.alone, part) for attempts in self.lists for attempt in attempts]

    def _now(self, part: str) -> list[Measures]:
        return [getattr(attempts[0].alone, part) for attempts in self.lists]

    def _held(self, asked: Asked) -> Amounts:
        held = self._at_ends if asked.from_below else self._at_most
        split = min(max(round(held.shape[1] * self.first_share), 1), held.shape[1] - 1)
        return {"whole": held, "first": held[:, : max(split, 1)], "rest": held[:, split:]}[asked.part]

    @cached_property
    def _stretches(self) -> dict[tuple[str, bool], list[int]]:
        """The stretches of each part of the time that were asked about, because choices exceed limits there; those at
        whose ends something is held are counted apart.
        """
        return {}

    @cached_property
    def _at_most(self) -> Amounts:
        return np.array([attempt.alone.most for attempts in self.lists for attempt in attempts], np.float64) / _MIB

    @cached_property
    def _at_ends(self) -> Amounts:
        return np.array([attempt.alone.held for attempts in self.lists for attempt in attempts], np.float64) / _MIB


def _is_constant(per: Amounts, unit: np.ndarray) -> bool:
    """Whether all attempts of a unit have the same."""
    first = np.searchsorted(unit, np.arange(int(unit.max()) + 1))
    return bool(np.all(per == per[first][unit]))
