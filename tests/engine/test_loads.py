"""Loads that take time: who waits, who loads again, and which value is stored."""

import timeit

import numpy as np
import pytest

from tests.telling import missed, replayed
from vestigo import Rules, read_trace, replay


def test_until_its_load_ends_a_key_is_loaded_again_by_each_reader(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=2\n 1 read a cost=2\n 2 read a cost=2")
    assert missed(outcome) == {"first": 1, "loading": 1}
    assert (outcome.hits, outcome.loads) == (1, 2)


def test_joined_readers_wait_for_the_rest_of_the_first_load(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=2\n 0.5 read a cost=9\n 3 read a cost=9", overlap="join")
    assert (outcome.hits, outcome.joined, outcome.loads) == (1, 1, 1)
    assert outcome.reads == 3
    assert outcome.read_time(95) == pytest.approx(2)
    assert outcome.read_time_ns == 2_000_000_000 + 1_500_000_000 + 1_000


def test_a_joined_read_is_stale_if_the_truth_changed_since_the_load_began(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=4 version=1\n 1 write a\n 2 read a", overlap="join")
    assert (outcome.joined, outcome.joined_stale) == (1, 1)


def test_a_forced_read_never_joins(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=4\n 1 read a cost=4 force=yes", overlap="join")
    assert missed(outcome) == {"first": 1, "forced": 1}


def test_the_load_that_ends_later_overwrites_whichever_began_first(engine: str) -> None:
    lines = "0 read a cost=9 version=1\n 1 write a version=2\n 2 read a cost=1 version=2\n 4 read a\n 10 read a"
    outcome = replayed(engine, lines)
    assert (outcome.hits, outcome.stale_hits) == (2, 1)


def test_a_drop_does_not_stop_a_load_which_then_stores_an_old_value(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=4 version=1\n 1 write a version=2\n 5 read a", on_write="drop")
    assert (outcome.raced, outcome.drops, outcome.stale_hits) == (1, 0, 1)


def test_a_restart_ends_loads_and_a_clear_does_not(engine: str) -> None:
    assert missed(replayed(engine, "0 read a cost=4\n 1 restart\n 5 read a cost=1")) == {"first": 1, "restarted": 1}
    assert replayed(engine, "0 read a cost=4\n 1 clear\n 5 read a").hits == 1


def test_a_load_that_ends_with_a_null_not_kept_leaves_what_is_stored(engine: str) -> None:
    lines = "0 read a version=1\n 1 remove a\n 2 read a force=yes cost=1\n 4 read a found=no"
    outcome = replayed(engine, lines)
    assert (outcome.hits, outcome.stale_hits) == (1, 1)


def test_a_load_ends_before_the_event_of_the_same_instant(engine: str) -> None:
    assert replayed(engine, "0 read a cost=4\n 4 read a").hits == 1


def test_the_busiest_second_and_minute_are_of_the_clock(engine: str) -> None:
    outcome = replayed(engine, "0.9 read a\n 1.0 read b\n 1.9 read c\n 59.9 read d\n 60 read e")
    assert (outcome.surge_second, outcome.surge_minute) == (2, 4)


def test_missing_costs_and_sizes_are_the_lower_median_of_the_look_ups_reads(engine: str) -> None:
    lines = "0 read a cost=1 size=10\n 2 read b cost=3 size=30\n 9 read c\n 19 read d found=no"
    outcome = replayed(engine, lines, nulls="keep")
    assert outcome.origin_time_ns == (1 + 3 + 1 + 1) * 10**9
    assert outcome.memory_peak == 10 + 30 + 10  # the null has none; d's load ends after the trace


def test_a_refused_write_after_a_lost_load_is_the_later_cause(engine: str) -> None:
    lines = "0 read a cost=4\n 1 restart\n 2 write a size=100\n 3 read a cost=1"
    assert missed(replayed(engine, lines, max_bytes=64, on_write="replace")) == {"first": 1, "refused": 1}


@pytest.mark.clock
def test_loads_that_never_overlap_take_no_longer_to_replay() -> None:
    """The end of a load is not searched among all later ones, which would take a thousand times as long here."""
    rows = 300_000
    at = np.arange(rows) * 10**9

    def seconds(cost: int) -> float:
        trace = read_trace({"at": at, "key": np.arange(rows) % 1000, "cost": np.full(rows, cost)})
        replay(trace, Rules(max_entries=10))
        return min(timeit.repeat(lambda: replay(trace, Rules(max_entries=10)), number=1, repeat=5))

    assert seconds(cost=10**6) < 20 * seconds(cost=0)
