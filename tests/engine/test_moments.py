"""Rules for full pools and bad moments, each in a sentence, on both engines."""

from typing import Any

import pytest

from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, RulesError, replay, synth


def test_a_pool_that_refuses_keeps_what_it_has(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n1 read b\n2 read a\n3 read b", max_entries=1, when_full="refuse")
    assert (outcome.hits, outcome.refusals, outcome.evictions) == (1, 2, 0)
    assert missed(outcome) == {"first": 2, "refused": 1}


def test_a_refused_reload_gives_up_the_old_entry_and_then_there_is_room(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n1 read a force=yes\n2 read a", max_entries=1, when_full="refuse")
    assert (outcome.hits, outcome.refusals) == (1, 0)


def test_a_pool_that_trims_makes_more_room_than_it_needs(engine: Any) -> None:
    lines = "\n".join(f"{at} read {key}" for at, key in enumerate("abcde"))
    outcome = replayed(engine, lines, max_entries=4, when_full="free 50%")
    assert (outcome.evictions, outcome.entries_peak) == (2, 4)


def test_trimming_all_leaves_the_new_entry_alone(engine: Any) -> None:
    lines = "0 read a size=10\n1 read b size=10\n2 read c size=10\n3 read c"
    outcome = replayed(engine, lines, max_bytes=20, when_full="free 100%")
    assert (outcome.evictions, outcome.hits) == (2, 1)


def test_who_removes_before_reading_never_hits(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n1 read a\n2 read a", drop_first=True)
    assert (outcome.hits, outcome.drops, missed(outcome)) == (0, 2, {"forced": 3})


def test_who_removes_first_touches_an_expired_entry_which_leaves_as_such(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n5 read a", drop_first=True, absolute="3s")
    assert (outcome.drops, outcome.expirations) == (0, 1)


def test_entries_that_survive_a_restart_answer_after_it(engine: Any) -> None:
    assert replayed(engine, "0 read a\n1 restart\n2 read a", survives_restart=True).hits == 1
    assert replayed(engine, "0 read a\n1 restart\n2 read a").hits == 0


def test_loads_under_way_are_lost_in_a_restart_all_the_same(engine: Any) -> None:
    outcome = replayed(engine, "0 read a cost=5\n1 restart\n6 read a", survives_restart=True)
    assert missed(outcome) == {"first": 1, "restarted": 1}


def test_a_scheduled_clear_comes_before_the_read_at_its_moment(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n4 read a\n5 read a\n9 read a\n10 read a", clear_every="5s")
    assert (outcome.hits, outcome.clears, missed(outcome)) == (2, 2, {"first": 1, "cleared": 2})


def test_a_scheduled_clear_comes_before_a_load_that_ends_then(engine: Any) -> None:
    assert replayed(engine, "0 read a cost=5\n6 read a", clear_every="5s").hits == 1


def test_a_schedule_that_would_run_for_ever_is_refused() -> None:
    with pytest.raises(RulesError, match="clear_every = 1ns"):
        replayed("native", "0 read a\n9 read a", clear_every="1ns")


def test_lifetimes_that_vary_end_one_after_the_other(engine: Any) -> None:
    """A hundred keys that are read at one moment all expire together, or spread over half of their lifetime."""
    lines = "\n".join(f"{at} read k{key}" for at in range(21) for key in range(100))
    together = replayed(engine, lines, absolute="10s")
    spread = replayed(engine, lines, absolute="10s", jitter="50%")
    assert (together.surge_second, together.loads) == (100, 300)
    again = [part for part in spread.slices if part.loads][1:]
    assert max(part.loads for part in again) < 60
    assert spread.loads > together.loads


def test_the_same_trace_draws_the_same_lifetimes() -> None:
    trace = synth(5000, keys=100, cost="0s")
    rules = Rules(absolute="2s", jitter="30%")
    assert replay(trace, rules).to_dict() == replay(trace, rules).to_dict()


def test_lookups_with_policies_of_their_own_stand_side_by_side(engine: Any) -> None:
    lines = "\n".join(f"{at} read k{at % 5} lookup={name}" for at in range(40) for name in ("x", "y"))
    trace = told(*lines.splitlines())
    plan = Plan(Rules(max_entries=3), lookups={"y": Rules(max_entries=3, eviction="mru")})
    outcome = replay(trace, plan, engine=engine)
    assert outcome.lookups["x"].hits == 0 < outcome.lookups["y"].hits
