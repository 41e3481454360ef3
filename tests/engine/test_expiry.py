"""Absolute and sliding expiry, and what happens exactly at a deadline."""

from tests.telling import missed, replayed


def test_at_its_deadline_an_entry_is_expired(engine: str) -> None:
    outcome = replayed(engine, "0 read a\n 9.999 read a\n 10 read a", absolute="10s")
    assert outcome.hits == 1
    assert missed(outcome) == {"first": 1, "aged": 1}
    assert outcome.expirations == 1


def test_sliding_runs_from_the_last_hit(engine: str) -> None:
    outcome = replayed(engine, "0 read a\n 4 read a\n 8 read a\n 13 read a", sliding="5s")
    assert outcome.hits == 2
    assert missed(outcome) == {"first": 1, "idle": 1}


def test_both_running_out_at_once_counts_as_aged(engine: str) -> None:
    assert missed(replayed(engine, "0 read a\n 5 read a", absolute="5s", sliding="5s")) == {"first": 1, "aged": 1}


def test_the_lifetime_that_ended_first_is_the_cause(engine: str) -> None:
    assert missed(replayed(engine, "0 read a\n 9 read a", absolute="5s", sliding="3s")) == {"first": 1, "idle": 1}


def test_an_expired_entry_stays_until_it_is_touched(engine: str) -> None:
    outcome = replayed(engine, "0 read a size=10\n 8 read b size=10\n 10 read b", absolute="5s")
    assert outcome.expirations == 0
    assert outcome.entries_peak == 2


def test_an_expired_entry_that_makes_room_counts_as_evicted(engine: str) -> None:
    outcome = replayed(engine, "0 read a\n 8 read b\n 9 read a", absolute="5s", max_entries=1)
    assert missed(outcome) == {"first": 2, "evicted": 1}


def test_a_lifetime_runs_from_the_read_and_not_from_the_end_of_its_load(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=4\n 4 read a cost=4\n 5 read a cost=4", absolute="5s")
    assert outcome.hits == 1
    assert missed(outcome) == {"first": 1, "aged": 1}


def test_a_load_slower_than_the_lifetime_stores_an_expired_value(engine: str) -> None:
    outcome = replayed(engine, "0 read a cost=9\n 10 read a cost=9", absolute="5s")
    assert missed(outcome) == {"first": 1, "aged": 1}
    assert outcome.entries_peak == 1
