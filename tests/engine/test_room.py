"""Size limits, eviction, and memory."""

import pytest

from tests.telling import missed, replayed


def test_lru_takes_the_entry_unread_for_longest_and_fifo_the_oldest(engine: str) -> None:
    lines = "0 read a\n 1 read b\n 2 read a\n 3 read c\n 4 read a"
    assert replayed(engine, lines, max_entries=2, eviction="lru").hits == 2
    assert replayed(engine, lines, max_entries=2, eviction="fifo").hits == 1


def test_bytes_are_freed_until_the_new_entry_fits(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=4\n 1 read b size=4\n 2 read c size=9\n 3 read b size=4", max_bytes=10)
    assert outcome.evictions == 3
    assert missed(outcome) == {"first": 3, "evicted": 1}
    assert outcome.memory_peak == 9


def test_a_value_larger_than_the_pool_is_refused_and_evicts_nothing(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=4\n 1 read b size=11\n 2 read b size=11\n 3 read a", max_bytes=10)
    assert outcome.evictions == 0
    assert outcome.refusals == 2
    assert outcome.hits == 1
    assert missed(outcome) == {"first": 2, "refused": 1}


def test_a_refused_reload_gives_up_the_old_entry(engine: str) -> None:
    lines = "0 read a size=4\n 1 read a size=11 force=yes\n 2 read a size=4"
    assert missed(replayed(engine, lines, max_bytes=10)) == {"first": 1, "forced": 1, "refused": 1}


def test_overhead_counts_against_the_limit(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=4\n 1 read b size=4", max_bytes=11, entry_overhead=3)
    assert outcome.evictions == 1
    assert outcome.memory_peak == 7


def test_mean_memory_is_weighted_by_time(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=100\n 6 read b size=100\n 10 read a", max_entries=9)
    assert outcome.memory_mean == pytest.approx((100 * 6 + 200 * 4) / 10)


def test_idle_memory_is_what_is_held_after_the_last_hit(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=100\n 4 read a\n 10 read b size=0")
    assert outcome.idle_memory == pytest.approx(0.6)


def test_byte_hit_rate_counts_what_readers_were_given(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=30\n 1 read b size=10\n 2 read a\n 3 read c size=30")
    assert outcome.byte_hit_rate == pytest.approx(0.3)


def test_every_look_up_has_room_of_its_own(engine: str) -> None:
    lines = "0 read a lookup=x\n 1 read a lookup=y\n 2 read a lookup=x\n 3 read a lookup=y"
    outcome = replayed(engine, lines, max_entries=1)
    assert outcome.hits == 2
    assert {name: measures.hits for name, measures in outcome.lookups.items()} == {"x": 1, "y": 1}
