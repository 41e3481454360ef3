"""One attempt of each unit, best within limits: as a look at every combination finds it."""

import itertools
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo.choosing.finding import combining
from vestigo.choosing.finding.combining import Choice, Problem, best, relaxed
from vestigo.choosing.finding.limits import Row
from vestigo.choosing.finding.longest import least_kept

AMOUNTS = st.integers(0, 30)


@st.composite
def problems(draw: st.DrawFn) -> Problem:
    sizes = draw(st.lists(st.integers(1, 5), min_size=1, max_size=4))
    attempts, stretches = sum(sizes), draw(st.integers(1, 4))

    def amounts(count: int) -> np.ndarray:
        return np.array(draw(st.lists(AMOUNTS, min_size=count, max_size=count)), np.float64)

    rows = [Row(amounts(attempts), float(draw(st.integers(0, 60)))) for _ in range(draw(st.integers(0, 2)))]
    held = amounts(attempts * stretches).reshape(attempts, stretches)
    most = draw(st.sampled_from([float("inf"), 20.0, 45.0]))
    unit = draw(st.sampled_from([1e-7, 1.0, 1e7]))
    held_costs = draw(st.sampled_from([0.0, 0.5, 2.0]))
    return Problem(
        np.repeat(np.arange(len(sizes)), sizes), amounts(attempts) * unit, rows, held, most, held_costs * unit
    )


def cost_of(problem: Problem, attempts: tuple[int, ...]) -> float | None:
    """None if they break a limit."""
    chosen = list(attempts)
    assert problem.held is not None
    peak = problem.held[chosen].sum(axis=0).max()
    if peak > problem.most_held or any(row.amounts[chosen].sum() > row.most for row in problem.rows):
        return None
    return float(problem.costs[chosen].sum() + problem.held_costs * peak)


def combinations(problem: Problem) -> Iterator[tuple[int, ...]]:
    return itertools.product(*(np.flatnonzero(problem.unit == unit).tolist() for unit in range(problem.units)))


def keeps(problem: Problem, attempts: tuple[int, ...]) -> bool:
    return cost_of(problem, attempts) is not None


def every(problem: Problem) -> list[float]:
    costs = (cost_of(problem, attempts) for attempts in combinations(problem))
    return [cost for cost in costs if cost is not None]


@given(problems())
def test_the_best_choice_is_the_best_of_all(problem: Problem) -> None:
    possible, found = every(problem), best(problem)
    assert (found is None) == (not possible)
    if found is not None:
        assert cost_of(problem, found.attempts) == found.cost == pytest.approx(min(possible), abs=1e-16)
        assert found.bound <= min(possible) * (1 + 1e-6)


@given(problems(), st.data())
def test_the_least_bound_that_a_choice_keeps_is_the_least_of_all(problem: Problem, data: st.DataObject) -> None:
    """What is made least is the largest of the amounts that are chosen."""
    count = len(problem.unit)
    amounts = np.array(data.draw(st.lists(st.integers(1, 40), min_size=count, max_size=count)), np.float64)
    limits = replace(problem, costs=np.zeros(count), held_costs=0.0)

    def longest(choice: Choice) -> float:
        return float(amounts[list(choice.attempts)].max())

    def row_at(bound: float) -> Row:
        return Row((amounts > bound).astype(np.float64), 0.0)

    possible = [longest(Choice(attempts, 0.0, 0.0)) for attempts in combinations(limits) if keeps(limits, attempts)]
    kept = least_kept(limits, row_at, 40.0, longest)
    assert (kept is None) == (not possible)
    if kept is not None:
        assert longest(kept.choice) == min(possible) and keeps(limits, kept.choice.attempts)
        assert min(possible) * 0.99 <= kept.below <= min(possible)


@given(problems())
def test_a_bound_by_prices_holds_for_every_choice(problem: Problem) -> None:
    possible, found = every(problem), relaxed(problem)
    if possible:
        assert found is not None
        assert found.cost <= min(possible) + 1e-6
        assert (found.reduced >= 0).all() and found.shares.sum() == pytest.approx(problem.units)


@given(problems())
def test_few_trials_at_a_time_give_the_same(problem: Problem) -> None:
    whole = relaxed(problem)
    problem.asked.clear()
    before = combining._MOST_AT_ONCE, combining._NEAREST
    combining._MOST_AT_ONCE, combining._NEAREST = 1, 1
    try:
        some, choice = relaxed(problem), best(problem)
    finally:
        combining._MOST_AT_ONCE, combining._NEAREST = before
    assert (some is None) == (whole is None)
    if whole is not None and some is not None:
        assert some.cost == pytest.approx(whole.cost, abs=1e-6)
    assert (choice is None) == (not every(problem))
    if choice is not None:
        assert choice.cost == pytest.approx(min(every(problem)))
