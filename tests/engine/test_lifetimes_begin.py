"""When lifetimes begin: where a value is stored, or where its load began. On both engines."""

from typing import Any

import pytest

from tests.telling import missed, replayed
from vestigo.units import SECOND

STORED, ASKED = "stored", "asked"


def test_five_seconds_of_life_begin_after_a_load_of_180_ms(engine: Any) -> None:
    lines = "\n".join(f"{number} read a cost=0.18" for number in range(80))
    loads = {begin: replayed(engine, lines, absolute="5s", lifetime_from=begin).loads for begin in (STORED, ASKED)}
    assert loads == {STORED: 14, ASKED: 16}
    assert replayed(engine, lines, absolute="5s").loads == loads[STORED]


def test_loads_longer_than_the_lifetime_give_hits_only_from_where_they_are_stored(engine: Any) -> None:
    lines = "0 read a cost=4\n5 read a cost=4\n6 read a cost=4\n7 read a cost=4"
    assert replayed(engine, lines, absolute="3s").hits == 2
    asked = replayed(engine, lines, absolute="3s", lifetime_from=ASKED)
    assert (asked.hits, missed(asked)) == (0, {"first": 1, "aged": 1, "loading": 2})


@pytest.mark.parametrize(
    ("rules", "cause"),
    [
        ({"absolute": "5s"}, "aged"),
        ({"sliding": "5s"}, "idle"),
        ({"absolute": "10s", "jitter": "100%", "sliding": "5s"}, None),
    ],
)
def test_every_lifetime_begins_there(engine: Any, rules: dict[str, Any], cause: str | None) -> None:
    lines = "0 read a cost=2\n6 read a cost=2"
    stored, asked = (replayed(engine, lines, **rules, lifetime_from=begin) for begin in (STORED, ASKED))
    if cause:
        assert (stored.hits, missed(asked)) == (1, {"first": 1, cause: 1})
    assert stored.hits >= asked.hits


def test_a_nulls_own_lifetime_begins_there(engine: Any) -> None:
    lines = "0 read a cost=2 found=no\n6 read a cost=2 found=no"
    assert replayed(engine, lines, nulls="keep 5s").hits == 1
    assert missed(replayed(engine, lines, nulls="keep 5s", lifetime_from=ASKED)) == {"first": 1, "aged": 1}


def test_a_fixed_time_during_a_load_does_not_take_what_is_stored_after_it(engine: Any) -> None:
    lines, at = "4 read a cost=2\n7 read a cost=2", "1970-01-01T00:00:05Z"
    assert replayed(engine, lines, absolute_at=at).hits == 1
    assert missed(replayed(engine, lines, absolute_at=at, lifetime_from=ASKED)) == {"first": 1, "fixed_time": 1}


def test_the_share_after_which_a_hit_reloads_counts_from_there(engine: Any) -> None:
    lines = "0 read a cost=4\n8 read a cost=4\n8.5 read a cost=4"
    assert replayed(engine, lines, absolute="10s", reload_after="50%").background_loads == 0
    assert replayed(engine, lines, absolute="10s", reload_after="50%", lifetime_from=ASKED).background_loads == 1


def test_a_reload_in_the_background_begins_anew_where_it_ends(engine: Any) -> None:
    lines = "0 read a cost=2\n9 read a cost=3\n21 read a cost=3"
    rules = {"absolute": "10s", "reload_after": "50%"}
    assert replayed(engine, lines, **rules).hits == 2
    assert missed(replayed(engine, lines, **rules, lifetime_from=ASKED)) == {"first": 1, "aged": 1}


def test_a_copy_begins_where_it_arrives(engine: Any) -> None:
    lines = "0 read a node=m\n0 read a node=n\n1 write a node=m\n8 read a node=n"
    rules = {"absolute": "5s", "tell_nodes": "copy", "tell_delay": "3s"}
    assert replayed(engine, lines, **rules).hits == 1
    assert missed(replayed(engine, lines, **rules, lifetime_from=ASKED))["aged"] == 1


def test_the_age_of_an_answer_counts_from_the_beginning_of_the_load_in_both(engine: Any) -> None:
    lines = "0 read a cost=2\n1 write a\n6 read a cost=2"
    for begin in (STORED, ASKED):
        outcome = replayed(engine, lines, absolute="9s", lifetime_from=begin)
        assert (outcome.oldest_answer_ns, outcome.oldest_stale_ns) == (6 * SECOND, 5 * SECOND)
