"""Rules on how long an entry lives, each in a sentence, on both engines."""

from typing import Any

import pytest

from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, RulesError, replay
from vestigo.rules.moments import Moments
from vestigo.units import SECOND


def test_what_was_loaded_before_a_fixed_time_expires_then(engine: Any) -> None:
    lines = "0 read a\n4 read a\n5 read a\n9 read a\n15 read a"
    outcome = replayed(engine, lines, absolute_at=["1970-01-01T00:00:05Z", "1970-01-01T00:00:10Z"])
    assert (outcome.hits, missed(outcome)) == (2, {"first": 1, "fixed_time": 2})


def test_a_load_at_a_fixed_time_lives_until_the_next_one(engine: Any) -> None:
    outcome = replayed(engine, "5 read a\n9 read a", absolute_at="1970-01-01T00:00:05Z")
    assert outcome.hits == 1


def test_a_tie_of_fixed_time_and_lifetime_counts_as_the_lifetime(engine: Any) -> None:
    at = "1970-01-01T00:00:05Z"
    assert missed(replayed(engine, "0 read a\n5 read a", absolute_at=at, absolute="5s")) == {"first": 1, "aged": 1}
    assert missed(replayed(engine, "0 read a\n5 read a", absolute_at=at, sliding="5s")) == {"first": 1, "idle": 1}
    assert missed(replayed(engine, "0 read a\n5 read a", absolute_at=at, sliding="6s")) == {"first": 1, "fixed_time": 1}


def test_times_of_day_are_told_where_the_clock_hangs(engine: Any) -> None:
    lines = "0 read a\n3599 read a\n3600 read a\n7200 read a"
    outcome = replayed(engine, lines, absolute_at="02:00", zone="Europe/Oslo")  # UTC+1 in 1970: 01:00 UTC
    assert (outcome.hits, missed(outcome)) == (2, {"first": 1, "fixed_time": 1})


def test_days_when_clocks_change_have_their_times_once() -> None:
    def utc_hours(day: str, *times: str) -> list[float]:
        begin = Moments.read(f"{day}T00:00:00+00:00").instants[0]  # type: ignore[union-attr]
        moments = Moments.read(list(times))
        assert moments is not None
        found = moments.between(begin - 1, begin + 24 * 3600 * SECOND, "Europe/Oslo")
        return [(at - begin) / 3600 / SECOND for at in found]

    assert utc_hours("2026-03-29", "06:00") == [4]  # summer time has begun
    assert utc_hours("2026-03-29", "02:30") == [1.5]  # skipped: the offset before it holds
    assert utc_hours("2026-10-25", "02:30") == [0.5]  # comes twice: the first one
    assert utc_hours("2026-10-25", "06:00", "18:00") == [5, 17]


@pytest.mark.parametrize(
    "moment", ["25:00", "noon", "2026-03-02", "2026-03-02T06:00:00", 6, [], ["06:00", 7], "06:00+01:00"]
)
def test_what_is_no_moment_is_refused(moment: object) -> None:
    with pytest.raises(RulesError, match=r"absolute_at: .* is not a time"):
        Rules(absolute_at=moment, zone="UTC")


def test_times_of_day_can_come_every_so_often() -> None:
    every, listed = Moments.read("every 6h from 00:30"), Moments.read(["00:30", "06:30", "12:30", "18:30"])
    assert every is not None and listed is not None
    assert every.times == listed.times and str(every) == "every 6h from 00:30"
    ten = Moments.read(["every 10m", "00:05:30"])
    assert ten is not None and len(ten.times) == 145
    rules = Rules(absolute_at="every 10m", zone="UTC")
    assert rules.to_dict()["absolute_at"] == "every 10m"
    with pytest.raises(RulesError, match="zone"):
        Rules(absolute_at="every 10m")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("every 7m", "is not at the same times each day"),
        ("every 10ms", "is not at the same times each day"),
        ("every 2d", "is not at the same times each day"),
        ("every 10", "has no unit"),
        ("every 10m from noon", "is not a time"),
        ("every 10m from 2026-03-02T06:00:00+01:00", "does not begin at a time of day"),
        ("every", "is not a time"),
    ],
)
def test_what_comes_at_no_times_of_a_day_is_refused(text: str, said: str) -> None:
    with pytest.raises(RulesError, match=said):
        Rules(absolute_at=text, zone="UTC")


def test_a_zone_that_is_none_is_refused() -> None:
    for zone in ("Mars/Base", "../etc/passwd", "", 7):
        with pytest.raises(RulesError, match=r"zone: .* is not a time zone"):
            Rules(absolute_at="06:00", zone=zone)


def test_prompt_collection_frees_an_entry_at_its_deadline(engine: Any) -> None:
    lines = "0 read a size=100\n1 read b size=100\n20 read c size=100"
    kept = replayed(engine, lines, absolute="5s")
    freed = replayed(engine, lines, absolute="5s", collect="prompt")
    assert (kept.expirations, freed.expirations) == (0, 2)
    assert (kept.entries_peak, freed.entries_peak) == (3, 2)
    assert kept.held_byte_ns == 100 * (20 + 19) * SECOND
    assert freed.held_byte_ns == 100 * (5 + 5) * SECOND


def test_a_collected_entry_is_missed_for_the_reason_of_its_expiry(engine: Any) -> None:
    lines = "0 read a\n1 read b\n3 read b\n9 read a\n10 read b"
    outcome = replayed(engine, lines, absolute="8s", sliding="5s", collect="prompt")
    assert missed(outcome) == {"first": 2, "idle": 2}
    assert outcome.expirations == 2


def test_collection_in_steps_waits_for_the_next_one(engine: Any) -> None:
    outcome = replayed(engine, "0 read a size=100\n30 read b", absolute="5s", collect="every 4s")
    assert (outcome.expirations, outcome.held_byte_ns) == (1, 100 * 8 * SECOND)


@pytest.mark.parametrize(
    ("taken", "rules"),
    [
        ("9 read b", {"max_entries": 1}),
        ("1 read b", {"max_entries": 1}),
        ("1 write a", {"on_write": "drop"}),
        ("1 clear", {}),
        ("1 restart", {}),
    ],
)
def test_what_would_have_expired_by_the_time_of_the_read_is_missed_for_that(
    engine: Any, taken: str, rules: dict[str, Any]
) -> None:
    lines = f"0 read a\n{taken}\n10 read a"
    for lifetime, cause in ({"absolute": "5s"}, "aged"), ({"sliding": "5s", "absolute": "9s"}, "idle"):
        assert missed(replayed(engine, lines, **rules, **lifetime))[cause] == 1
    assert cause not in missed(replayed(engine, lines, **rules, absolute="11s"))


def test_a_fixed_time_that_would_have_passed_is_the_cause(engine: Any) -> None:
    rules = {"absolute_at": "1970-01-01T00:00:05Z", "max_entries": 1}
    assert missed(replayed(engine, "0 read a\n1 read b\n10 read a", **rules)) == {"first": 2, "fixed_time": 1}


def test_a_load_that_a_restart_ended_is_missed_for_that(engine: Any) -> None:
    lines = "0 read a cost=1\n2 read a force=yes cost=2\n3 restart\n99 read a cost=1"
    assert missed(replayed(engine, lines, absolute="5s")) == {"first": 1, "forced": 1, "restarted": 1}


def test_what_was_refused_is_missed_for_that_however_old(engine: Any) -> None:
    lines = "0 read a size=1\n6 read a size=9\n99 read a size=1"
    assert missed(replayed(engine, lines, absolute="5s", max_bytes=5)) == {"first": 1, "aged": 1, "refused": 1}


def test_what_expired_is_collected_before_it_is_evicted(engine: Any) -> None:
    lines = "0 read a\n9 read b\n10 read a"
    prompt = replayed(engine, lines, max_entries=1, absolute="5s", collect="prompt")
    assert missed(prompt) == {"first": 2, "aged": 1}
    assert (prompt.evictions, prompt.expirations) == (1, 1)


def test_a_hit_late_in_a_lifetime_reloads_in_the_background(engine: Any) -> None:
    lines = "0 read a cost=1\n7 read a cost=1\n8.5 read a cost=1\n9 read a cost=1\n12 read a cost=1\n18 read a cost=1"
    without = replayed(engine, lines, absolute="10s")
    ahead = replayed(engine, lines, absolute="10s", reload_after="80%")
    assert (without.hits, without.loads) == (4, 2)
    assert (ahead.hits, ahead.loads, ahead.background_loads) == (5, 3, 2)
    assert missed(ahead) == {"first": 1}


def test_while_a_reload_runs_no_other_begins(engine: Any) -> None:
    outcome = replayed(
        engine, "0 read a\n11 read a cost=3\n12 read a cost=3\n13 read a cost=3", absolute="20s", reload_after="40%"
    )
    assert (outcome.hits, outcome.background_loads) == (3, 1)


def test_what_expired_is_served_while_it_is_reloaded(engine: Any) -> None:
    lines = "0 read a cost=0\n5 write a\n12 read a cost=2\n13 read a cost=2\n15 read a cost=2"
    outcome = replayed(engine, lines, absolute="10s", serve_stale="5s")
    assert (outcome.hits, outcome.stale_hits, outcome.background_loads) == (3, 2, 1)
    assert outcome.longest_read_ns == 1000


def test_what_expired_too_long_ago_is_loaded(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n15 read a", absolute="10s", serve_stale="5s")
    assert missed(outcome) == {"first": 1, "aged": 1}


def test_being_served_late_does_not_make_an_idle_entry_live_again(engine: Any) -> None:
    lines = "0 read a cost=0\n6 read a cost=9\n8 read a cost=9\n10.5 read a cost=9"
    outcome = replayed(engine, lines, sliding="5s", serve_stale="5s")
    assert (outcome.hits, missed(outcome)) == (2, {"first": 1, "loading": 1})


def test_prompt_collection_waits_while_an_entry_may_still_be_served(engine: Any) -> None:
    lines = "0 read a size=100\n30 read b"
    outcome = replayed(engine, lines, absolute="5s", serve_stale="3s", collect="prompt")
    assert outcome.held_byte_ns == 100 * 8 * SECOND


def test_a_lifetime_that_varies_down_to_nothing_is_expired_at_once(engine: Any) -> None:
    trace = told(*(f"{at} read k{at % 7}" for at in range(60)))
    plan = Plan(Rules(absolute="10s", jitter="100%", collect="prompt", entry_overhead=0))
    outcome = replay(trace, plan, engine=engine)
    assert (outcome.hits, outcome.loads, outcome.expirations, outcome.entries_peak) == (12, 48, 45, 6)
