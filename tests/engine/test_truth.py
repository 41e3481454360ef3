"""Staleness against the recorded truth, and what rows tell of it."""

import pytest

from tests.telling import missed, replayed


def test_a_hit_on_a_changed_value_is_stale_since_the_first_change(engine: str) -> None:
    outcome = replayed(engine, "0 read a version=1\n 3 write a\n 5 write a\n 9 read a")
    assert (outcome.hits, outcome.stale_hits) == (1, 1)
    assert outcome.stale_age() == pytest.approx(6)
    assert outcome.oldest_stale_ns == 6_000_000_000


def test_a_read_that_shows_another_version_is_when_the_truth_changed(engine: str) -> None:
    outcome = replayed(engine, "0 read a version=1\n 4 read a version=2\n 6 read a version=2")
    assert outcome.stale_hits == 2
    assert outcome.stale_age() == pytest.approx(1)


def test_a_version_that_comes_back_is_the_same_value(engine: str) -> None:
    outcome = replayed(engine, "0 read a version=1\n 1 read a version=2\n 2 read a version=1")
    assert (outcome.hits, outcome.stale_hits) == (2, 1)


def test_the_first_version_after_an_unnamed_write_names_its_value(engine: str) -> None:
    outcome = replayed(engine, "0 write a\n 1 read a\n 2 read a version=1\n 3 read a version=1")
    assert (outcome.hits, outcome.stale_hits) == (2, 0)


def test_an_older_version_after_an_unnamed_write_is_a_change(engine: str) -> None:
    outcome = replayed(engine, "0 read a version=1\n 1 write a\n 2 read a force=yes\n 3 read a version=1")
    assert (outcome.hits, outcome.stale_hits) == (1, 1)


def test_a_known_version_may_name_a_value_that_a_read_found_after_a_null(engine: str) -> None:
    lines = "0 read a version=1\n 1 remove a\n 2 read a found=yes force=yes\n 3 read a version=1"
    assert replayed(engine, lines).stale_hits == 0


def test_a_write_of_the_present_version_changes_nothing(engine: str) -> None:
    assert replayed(engine, "0 read a version=1\n 1 write a version=1\n 2 read a").stale_hits == 0


def test_a_read_that_tells_nothing_shows_no_change(engine: str) -> None:
    assert replayed(engine, "0 read a version=1\n 1 read a\n 2 read a").stale_hits == 0


def test_a_kept_null_that_now_exists_is_a_ghost(engine: str) -> None:
    outcome = replayed(engine, "0 read a found=no\n 1 read a found=no\n 2 write a\n 3 read a found=yes", nulls="keep")
    assert (outcome.nulls_read, outcome.nulls_hit, outcome.false_nulls, outcome.stale_hits) == (2, 2, 1, 1)


def test_nulls_are_reloaded_unless_they_are_kept(engine: str) -> None:
    lines = "0 read a found=no\n 1 read a found=no\n 9 read a found=no"
    assert missed(replayed(engine, lines, nulls="skip")) == {"first": 1, "null": 2}
    assert missed(replayed(engine, lines, nulls="keep")) == {"first": 1}
    assert missed(replayed(engine, lines, nulls="keep 5s")) == {"first": 1, "aged": 1}


def test_a_blind_null_takes_room_and_is_loaded_again(engine: str) -> None:
    lines = "0 read a found=no\n 1 read a found=no\n 9 read a found=no"
    outcome = replayed(engine, lines, nulls="blind", absolute="5s")
    assert missed(outcome) == {"first": 1, "null": 1, "aged": 1}
    assert (outcome.hits, outcome.entries_peak) == (0, 1)


def test_a_null_without_a_size_takes_only_overhead(engine: str) -> None:
    assert (
        replayed(engine, "0 read a found=no\n 1 read b size=8 found=no", nulls="keep", entry_overhead=5).memory_peak
        == 18
    )
