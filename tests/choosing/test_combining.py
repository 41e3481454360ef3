"""One attempt of each unit, best within limits: as a look at every combination finds it."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo.choosing.finding import combining
from vestigo.choosing.finding.combining import Problem, best, relaxed
from vestigo.choosing.finding.limits import Row

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
    return Problem(
        np.repeat(np.arange(len(sizes)), sizes),
        amounts(attempts),
        rows,
        held,
        most,
        draw(st.sampled_from([0.0, 0.5, 2.0])),
    )


def cost_of(problem: Problem, attempts: tuple[int, ...]) -> float | None:
    """None if they break a limit."""
    chosen = list(attempts)
    assert problem.held is not None
    peak = problem.held[chosen].sum(axis=0).max()
    if peak > problem.most_held or any(row.amounts[chosen].sum() > row.most for row in problem.rows):
        return None
    return float(problem.costs[chosen].sum() + problem.held_costs * peak)


def every(problem: Problem) -> list[float]:
    each = [np.flatnonzero(problem.unit == unit).tolist() for unit in range(problem.units)]
    costs = (cost_of(problem, attempts) for attempts in itertools.product(*each))
    return [cost for cost in costs if cost is not None]


@given(problems())
def test_the_best_choice_is_the_best_of_all(problem: Problem) -> None:
    possible, found = every(problem), best(problem)
    assert (found is None) == (not possible)
    if found is not None:
        assert cost_of(problem, found.attempts) == pytest.approx(found.cost) == pytest.approx(min(possible))
        assert found.bound <= min(possible) + 1e-6


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
