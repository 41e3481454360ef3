"""The front is what no other candidate beats, and nothing else."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.choosing.test_choose import candidate, study
from vestigo import InputError
from vestigo.choosing.front import unbeaten_rows

_TABLES = st.integers(1, 4).flatmap(
    lambda columns: st.lists(st.lists(st.integers(0, 3), min_size=columns, max_size=columns), min_size=1, max_size=12)
)


def beats(one: list[int], other: list[int]) -> bool:
    """Whether a candidate is as good in all measures and better in one."""
    return one != other and all(mine <= theirs for mine, theirs in zip(one, other, strict=True))


@given(_TABLES)
def test_a_row_is_kept_just_if_no_other_beats_it_and_it_is_the_first_of_its_equals(table: list[list[int]]) -> None:
    kept = unbeaten_rows(np.array(table))
    assert sorted(kept) == [
        place
        for place, row in enumerate(table)
        if row not in table[:place] and not any(beats(other, row) for other in table)
    ]


@given(_TABLES.flatmap(lambda table: st.tuples(st.just(table), st.permutations(table))))
def test_the_order_of_the_rows_makes_no_difference(both: tuple[list[list[int]], list[list[int]]]) -> None:
    kept, again = ({tuple(rows[place]) for place in unbeaten_rows(np.array(rows))} for rows in both)
    assert kept == again


def test_measures_are_better_each_in_its_own_direction() -> None:
    low, high, waste = candidate("low", 3, 100), candidate("high", 8, 900), candidate("waste", 3, 200)
    stale = candidate("stale", 8, 300, stale=4)
    front = study(low, high, waste, stale).front()
    assert [one.name for one in front] == ["stale", "high", "low"]
    assert [one.name for one in study(low, high, waste, stale).front(("hit_rate",))] == ["high"]
    assert [one.name for one in study(low, high, waste, stale).front(("fresh_hit_rate", "memory_peak"))] == [
        "high",
        "stale",
        "low",
    ]


def test_of_one_part_of_the_time_the_front_is_its_own() -> None:
    early, late = candidate("early", (8, 2)), candidate("late", (2, 8))
    assert [one.name for one in study(early, late).front(("hit_rate",), "first")] == ["early"]
    assert [one.name for one in study(early, late).front(("hit_rate",), "rest")] == ["late"]


def test_a_measure_that_there_is_not_is_refused() -> None:
    with pytest.raises(InputError, match="did you mean 'hit_rate'"):
        study(candidate("one", 1)).front(("hitrate",))
