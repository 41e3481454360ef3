"""One attempt of each unit, best within limits: a multiple-choice knapsack, solved as a mixed integer program.

The linear relaxation gives a bound, and the prices of the limits. Attempts whose reduced cost is larger than the
distance between the bound and a choice that is there cannot be in a better one, so the integer program is small (H.
Kellerer, U. Pferschy, D. Pisinger, "Knapsack problems", 2004, chapter 11). What all units hold together in a stretch is
asked for only where a choice would exceed it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from vestigo.choosing.finding.limits import Amounts, Row
from vestigo.choosing.finding.silence import silenced

if TYPE_CHECKING:
    from scipy.sparse import csr_array

_MOST_ROUNDS = 200
_ROWS_AT_ONCE = 4
_NEAREST = 12
"""So many attempts of each unit are in the first program, linear or with whole numbers."""
_MOST_AT_ONCE = 400
_SOLVER_SECONDS = 10.0
_CLOSE = 1e-7


@dataclass
class Problem:
    """The attempts of all units, one after the other."""

    unit: np.ndarray
    """The unit of each attempt."""
    costs: Amounts
    """What is to be small, for each attempt."""
    rows: Sequence[Row]
    held: Amounts | None = None
    """For each attempt and stretch of time, the bytes held."""
    most_held: float = float("inf")
    held_costs: float = 0.0
    """What each byte of the peak costs."""
    asked: list[int] = field(default_factory=list)
    """The stretches that are asked about. More come as choices exceed what may be held there."""

    @property
    def units(self) -> int:
        return int(self.unit.max()) + 1

    @property
    def asks_for_peak(self) -> bool:
        return self.held is not None and (self.held_costs > 0 or np.isfinite(self.most_held))


class Choice(NamedTuple):
    """A attempt of each unit."""

    attempts: tuple[int, ...]
    cost: float
    bound: float
    """No choice costs less."""


class Relaxed(NamedTuple):
    """What shares of attempts cost least together: no choice costs less."""

    cost: float
    shares: Amounts
    reduced: Amounts
    """What each attempt would cost beside the cheapest of its unit, at the prices of the limits. It is 0 or more."""
    peak: float = 0.0


class _Scale(NamedTuple):
    """The solver rounds at fixed amounts, so costs are given to it as shares of what can be saved."""

    least: float
    """What every choice costs."""
    unit: float

    @classmethod
    def of(cls, problem: Problem) -> "_Scale":
        least = _least_of_units(problem)
        spread = float((problem.costs - least[problem.unit]).max())
        held = 0.0 if problem.held is None else problem.held_costs * float(problem.held.max())
        return cls(float(least.sum()), max(spread, held) or 1.0)

    def scaled(self, problem: Problem) -> Problem:
        costs = (problem.costs - _least_of_units(problem)[problem.unit]) / self.unit
        return replace(problem, costs=costs, held_costs=problem.held_costs / self.unit)

    def cost(self, scaled: float) -> float:
        return self.least + self.unit * scaled


def _least_of_units(problem: Problem) -> Amounts:
    least = np.full(problem.units, np.inf)
    np.minimum.at(least, problem.unit, problem.costs)
    return least


def relaxed(problem: Problem) -> Relaxed | None:
    """The linear relaxation. None if no choice keeps the limits."""
    scale = _Scale.of(problem)
    found = _relaxed(scale.scaled(problem))
    return found and found._replace(cost=scale.cost(found.cost), reduced=found.reduced * scale.unit)


def _relaxed(problem: Problem) -> Relaxed | None:
    taken, program = _cheapest(problem), _Program.of(problem)
    for _ in range(_MOST_ROUNDS):
        found = _relaxed_among(problem, program, taken)
        if found is None and len(taken) < len(problem.unit):
            taken = np.arange(len(problem.unit))
            continue
        if found is None:
            return None
        cheaper = np.flatnonzero(found.reduced < -_CLOSE)
        if len(cheaper):
            taken = np.union1d(taken, _first_of_units(problem, cheaper, found.reduced, _NEAREST))
        elif _ask_more(problem, found.shares, found.peak):
            program = _Program.of(problem)
        else:
            return found._replace(reduced=np.maximum(found.reduced, 0.0))
    return None


def _relaxed_among(problem: Problem, program: "_Program", taken: np.ndarray) -> Relaxed | None:
    """The linear relaxation with some of the attempts. At its prices, others may be cheaper."""
    from scipy.optimize import linprog  # takes a while to import

    matrix, most, costs, every = program
    columns = taken if len(costs) == len(problem.unit) else np.append(taken, len(problem.unit))
    found = linprog(
        costs[columns],
        A_ub=None if matrix is None else matrix[:, columns],
        b_ub=most,
        A_eq=every[:, columns],
        b_eq=np.ones(problem.units),
        options={"presolve": False},  # it takes longer than to solve so few rows
    )
    if found.status != 0:
        return None
    prices = found.ineqlin.marginals @ matrix if matrix is not None else 0.0
    reduced = costs - prices - found.eqlin.marginals @ every
    shares = np.zeros(len(problem.unit))
    shares[taken] = found.x[: len(taken)]
    return Relaxed(float(found.fun), shares, reduced[: len(problem.unit)], float(found.x[-1]))


def _cheapest(problem: Problem) -> np.ndarray:
    """Some of the attempts of each unit: the cheapest, and those that hold least."""
    every = np.arange(len(problem.unit))
    if len(every) <= _MOST_AT_ONCE:
        return every
    taken = _first_of_units(problem, every, problem.costs, _NEAREST)
    if problem.held is not None:
        taken = np.union1d(taken, _first_of_units(problem, every, problem.held.max(axis=1), _NEAREST))
    return taken


def _first_of_units(problem: Problem, attempts: np.ndarray, amounts: Amounts, most: int) -> np.ndarray:
    """Of some attempts, those of each unit with the smallest amounts."""
    order = attempts[np.lexsort((amounts[attempts], problem.unit[attempts]))]
    unit = problem.unit[order]
    place = np.arange(len(order)) - np.searchsorted(unit, unit)
    return np.sort(order[place < most])


def best(problem: Problem) -> Choice | None:
    """The best choice. None if none keeps the limits."""
    scale = _Scale.of(problem)
    found = _best(scale.scaled(problem))
    if found is None:
        return None
    cost = _cost(problem, list(found.attempts))
    return found._replace(cost=cost, bound=min(scale.cost(found.bound), cost))


def _cost(problem: Problem, chosen: list[int]) -> float:
    peak = 0.0 if problem.held is None else float(problem.held[chosen].sum(axis=0).max())
    return float(problem.costs[chosen].sum()) + problem.held_costs * peak


def _best(problem: Problem) -> Choice | None:
    bound = _relaxed(problem)
    if bound is None:
        return None
    chosen = np.flatnonzero(bound.shares > 1 - _CLOSE)
    if len(chosen) == problem.units:  # shares are whole, so there is nothing left to solve
        return Choice(tuple(chosen.tolist()), bound.cost, bound.cost)
    near = _first_of_units(problem, np.arange(len(problem.unit)), bound.reduced, _NEAREST)
    found = _solved(problem, near, bound.cost)
    gap = found.cost - bound.cost if found is not None else np.inf
    if gap <= _CLOSE * max(abs(bound.cost), 1e-9):
        return found
    could_be = np.flatnonzero(bound.reduced <= gap * (1 + 1e-6) + _CLOSE)
    if found is not None and np.isin(could_be, near).all():
        return found
    whole = _solved(problem, could_be, bound.cost)
    if whole is None and found is not None:  # the solver had too little time, so nothing is known but the relaxation
        return found._replace(bound=bound.cost)
    return whole


def _solved(problem: Problem, attempts: np.ndarray, bound: float) -> Choice | None:
    """The best choice among some attempts."""
    from scipy.optimize import LinearConstraint, milp

    for _ in range(_MOST_ROUNDS):
        matrix, most, costs, every = _Program.of(problem, attempts)
        constraints = [LinearConstraint(every, 1.0, 1.0)]
        if matrix is not None:
            constraints.append(LinearConstraint(matrix, -np.inf, most))
        whole = np.ones(len(costs))
        whole[len(attempts) :] = 0
        upper = np.where(whole == 1, 1.0, np.inf)
        with silenced():
            options = {"time_limit": _SOLVER_SECONDS, "mip_rel_gap": 1e-6}
            found = milp(costs, integrality=whole, bounds=(0, upper), constraints=constraints, options=options)
        if found.x is None:
            return None
        taken = found.x[: len(attempts)] > 0.5
        shares = np.zeros(len(problem.unit))
        shares[attempts[taken]] = 1.0
        if not _ask_more(problem, shares, found.x[-1]):
            dual = found.mip_dual_bound if found.mip_dual_bound is not None else bound
            return Choice(
                tuple(attempts[taken].tolist()), float(found.fun), max(bound, min(float(dual), float(found.fun)))
            )
    return None


class _Program(NamedTuple):
    """What a solver takes. If the peak costs something, it is one more column."""

    matrix: Amounts | None
    """The rows of the limits. None if there are none."""
    most: Amounts | None
    """What they may be at most."""
    costs: Amounts
    every: "csr_array"
    """The attempts of each unit, of which one is chosen."""

    @classmethod
    def of(cls, problem: Problem, attempts: np.ndarray | None = None) -> "_Program":
        """The program of some attempts, or of all."""
        chosen = np.arange(len(problem.unit)) if attempts is None else attempts
        matrix, most, costs = _tables(problem, chosen)
        return cls(matrix, most, costs, _each_once(problem.unit[chosen], problem.units, len(costs)))


def _tables(problem: Problem, attempts: np.ndarray) -> tuple[Amounts | None, Amounts | None, Amounts]:
    rows = [row.amounts[attempts] for row in problem.rows]
    most = [row.most for row in problem.rows]
    costs = problem.costs[attempts]
    peak = problem.held_costs > 0
    table = np.array(rows).reshape(len(rows), len(attempts))
    if peak:
        table, costs = np.column_stack([table, np.zeros(len(rows))]), np.append(costs, problem.held_costs)
    if problem.held is not None and problem.asked:
        held = problem.held[attempts][:, problem.asked].T
        if np.isfinite(problem.most_held):
            table = np.vstack([table, np.column_stack([held, np.zeros(len(held))]) if peak else held])
            most += [problem.most_held] * len(held)
        if peak:
            table = np.vstack([table, np.column_stack([held, -np.ones(len(held))])])
            most += [0.0] * len(held)
    if not len(table):
        return None, None, costs
    scale = np.maximum(np.abs(table).max(axis=1), 1e-300)
    return table / scale[:, None], np.array(most) / scale, costs


def _each_once(unit: np.ndarray, units: int, columns: int) -> "csr_array":
    from scipy.sparse import csr_array

    ones = np.ones(len(unit))
    return csr_array((ones, (unit, np.arange(len(unit)))), shape=(units, columns))


def _ask_more(problem: Problem, shares: Amounts, peak: float) -> bool:
    """Asks about the stretches in which these shares exceed most what may be held. Whether there are any."""
    if not problem.asks_for_peak:
        return False
    assert problem.held is not None
    taken = np.flatnonzero(shares > 0)
    together = shares[taken] @ problem.held[taken]
    may = min(problem.most_held, peak if problem.held_costs > 0 else np.inf)
    together[problem.asked] = -np.inf
    worst = np.argsort(-together)[:_ROWS_AT_ONCE]
    more = [int(place) for place in worst if together[place] > may * (1 + 1e-9) + 1e-6]
    problem.asked += more
    return bool(more)
