"""Warm-up, slices, and calls that do not fit."""

import pytest

from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, RulesError, TraceError, read_trace, replay
from vestigo.units import Duration

READS = told(*(f"{i} read k{i % 3}" for i in range(10)))


def test_what_is_read_in_the_warm_up_is_held_but_not_counted(engine: str) -> None:
    for warm_up in (3, Duration.parse("3s")):
        outcome = replay(READS, Plan(Rules(), warm_up=warm_up), engine=engine)  # type: ignore[arg-type]
        assert (outcome.reads, outcome.hits) == (7, 7)


def test_a_warm_up_that_leaves_nothing_is_refused(engine: str) -> None:
    for warm_up in (10, Duration.parse("10s")):
        with pytest.raises(RulesError, match="leaves nothing to count"):
            replay(READS, Plan(Rules(), warm_up=warm_up), engine=engine)  # type: ignore[arg-type]


def test_slices_add_up_to_the_whole(engine: str) -> None:
    outcome = replay(READS, Rules(absolute="2s"), engine=engine)  # type: ignore[arg-type]
    assert len(outcome.slices) == 10
    assert sum(piece.reads for piece in outcome.slices) == outcome.reads
    assert sum(piece.held_byte_ns for piece in outcome.slices) == outcome.held_byte_ns
    assert sum(piece.idle_byte_ns for piece in outcome.slices) == outcome.idle_byte_ns
    assert max(piece.memory_peak for piece in outcome.slices) == outcome.memory_peak


def test_an_empty_trace_counts_nothing(engine: str) -> None:
    outcome = replay(read_trace({"at": [], "key": []}), Rules(), engine=engine)  # type: ignore[arg-type]
    assert (outcome.reads, outcome.hit_rate, len(outcome.slices)) == (0, 0.0, 0)


def test_a_trace_of_nothing_but_clears_counts_nothing(engine: str) -> None:
    assert replayed(engine, "0 clear\n 1 restart").reads == 0


def test_times_before_1970_are_times_like_others(engine: str) -> None:
    assert missed(replayed(engine, "-70 read a\n -60.5 read b\n -0.5 read a", absolute="1m")) == {"first": 2, "aged": 1}


def test_never_outlasts_the_longest_trace(engine: str) -> None:
    assert replayed(engine, "-631152000 read a\n 4102444800 read a").hits == 1


def test_a_plan_that_names_another_look_up_is_refused() -> None:
    with pytest.raises(RulesError, match="'readz' is unknown; did you mean 'reads'"):
        replay(READS, Plan(Rules(), lookups={"readz": Rules()}))


def test_an_unknown_engine_is_refused() -> None:
    with pytest.raises(RulesError, match="engine"):
        replay(READS, Rules(), engine="steam")  # type: ignore[arg-type]


def test_sizes_that_would_not_add_up_are_refused() -> None:
    with pytest.raises(TraceError, match="too large to add up"):
        replay(told("0 read a size=1152921504606846976", "1 read b", "2 read c"), Rules())


def test_costs_that_would_not_add_up_are_refused() -> None:
    with pytest.raises(TraceError, match="costs add up to more than 73 years"):
        replay(told("0 read a cost=1314000000", "1 read b cost=1314000000"), Rules())
