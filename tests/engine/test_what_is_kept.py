"""Rules on which values are kept, by size, cost and key: each in a sentence, on both engines."""

from typing import Any

import pytest

from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, RulesError, replay
from vestigo.rules import Value


def test_a_value_that_does_not_pass_is_refused(engine: Any) -> None:
    lines = "0 read a size=10\n1 read b size=2000\n2 read a\n3 read b size=2000"
    outcome = replayed(engine, lines, keep_if="size <= 1 KiB")
    assert (outcome.hits, outcome.refusals) == (1, 2)
    assert missed(outcome) == {"first": 2, "refused": 1}


def test_all_conditions_must_hold(engine: Any) -> None:
    lines = "\n".join(
        f"{at} read {key} size={size} cost={cost}"
        for at, (key, size, cost) in enumerate(
            [("a", 10, 2), ("b", 10, 0.001), ("c", 2000, 2), ("a", 10, 2), ("b", 10, 0.001), ("c", 2000, 2)]
        )
    )
    outcome = replayed(engine, lines, keep_if=["size < 1 KiB", "cost > 1ms"])
    assert (outcome.hits, outcome.refusals) == (1, 3)  # the last load of c goes on


def test_keys_are_told_apart_by_patterns(engine: Any) -> None:
    lines = "0 read 9/1/2\n1 read 9/x\n2 read 14/1/2\n3 read 9/1/2\n4 read 9/x\n5 read 14/1/2"
    assert replayed(engine, lines, keep_if="key = 9/{...}").hits == 2
    assert replayed(engine, lines, keep_if="key = 9/{}").hits == 1
    assert replayed(engine, lines, keep_if="key != 9/{...}").hits == 1
    assert replayed(engine, lines, keep_if=["key != 14/{...}", "key != 9/{}"]).hits == 1


def test_a_reload_that_does_not_pass_gives_up_the_old_value(engine: Any) -> None:
    outcome = replayed(engine, "0 read a size=10\n1 read a size=99 force=yes\n2 read a size=10", keep_if="size < 50 B")
    assert (outcome.hits, missed(outcome)) == (0, {"first": 1, "forced": 1, "refused": 1})


def test_a_written_value_must_pass_as_well(engine: Any) -> None:
    lines = "0 write a size=99\n1 write b size=9\n2 read a size=99\n3 read b"
    assert replayed(engine, lines, keep_if="size < 50 B", on_write="replace").hits == 1


def test_a_condition_of_ones_own_sees_the_value() -> None:
    asked: list[Value] = []

    def odd(value: Value) -> bool:
        asked.append(value)
        return value.size % 2 == 1

    outcome = replayed(
        "reference", "0 read a size=3 cost=1\n2 read b size=4\n5 read a\n6 read b", keep_if=odd, nulls="keep"
    )
    assert outcome.hits == 1
    assert asked[0] == Value("reads", "a", 3, 10**9, True)


def test_a_condition_of_ones_own_needs_the_reference_engine() -> None:
    with pytest.raises(RulesError, match=r'keep_if: .*lambda.* is in Python; replay it with engine="reference"'):
        replayed("native", "0 read a", keep_if=lambda _: True)


@pytest.mark.parametrize(
    ("condition", "says"),
    [
        (lambda value: value.nothing, "keep_if: <lambda> raised AttributeError"),
        (lambda _: 1, "keep_if: <lambda> gave 1, asked about Value"),
        (lambda: True, "keep_if: <lambda> raised TypeError"),
    ],
)
def test_a_condition_that_misbehaves_is_named(condition: Any, says: str) -> None:
    with pytest.raises(RulesError, match=says):
        replayed("reference", "0 read a", keep_if=condition)


@pytest.mark.parametrize(
    "condition", ["size", "size = 5 B", "key < a", "age > 5s", "size < 5", "key = {", 5, [], "cost > 5"]
)
def test_what_is_no_condition_is_refused(condition: object) -> None:
    with pytest.raises(RulesError, match="keep_if: "):
        Rules(keep_if=condition)


def test_conditions_are_told_back_as_they_were_stated() -> None:
    rules = Rules(keep_if=["size <= 64 KiB", "key = a{}"], pin="b{...}", absolute_at=["06:00"], zone="UTC")
    stated = {"keep_if": ["size <= 64 KiB", "key = a{}"], "pin": "b{...}", "absolute_at": "06:00", "zone": "UTC"}
    assert rules.to_dict() == stated
    assert Rules(**rules.to_dict()) == rules


def test_eviction_passes_over_what_is_pinned(engine: Any) -> None:
    lines = "0 read a\n1 read b\n2 read c\n3 read d\n4 read a"
    assert replayed(engine, lines, max_entries=2).hits == 0
    assert replayed(engine, lines, max_entries=2, pin="a").hits == 1


def test_pinned_entries_expire_and_are_dropped_like_others(engine: Any) -> None:
    lines = "0 read a\n6 read a\n7 write a\n8 read a"
    outcome = replayed(engine, lines, pin="a", absolute="5s", on_write="drop")
    assert missed(outcome) == {"first": 1, "aged": 1, "dropped": 1}


def test_a_value_for_which_pinned_ones_leave_no_room_is_refused(engine: Any) -> None:
    lines = "0 read a size=60\n1 read b size=60\n2 read c size=30\n3 read a\n4 read c"
    outcome = replayed(engine, lines, pin="a", max_bytes=100)
    assert (outcome.refusals, outcome.evictions, outcome.hits) == (1, 0, 2)
    assert missed(outcome) == {"first": 3}


def test_more_pinned_keys_than_entries_are_refused(engine: Any) -> None:
    with pytest.raises(RulesError, match="pin takes 3 keys of reads, but max_entries = 2; pin fewer"):
        replayed(engine, "0 read a\n1 read b\n2 read c", pin="{}", max_entries=2)


def test_keys_of_one_lookup_under_rules_of_their_own(engine: Any) -> None:
    trace = told("0 read GB1", "1 read NO1", "5 read GB1", "6 read NO1", "7 read SE1", "99 read SE1")
    plan = Plan(Rules(absolute="90s"), keys={"reads": {"GB{}": Rules(absolute="3s"), "{}1": {"absolute": "never"}}})
    outcome = replay(trace, plan, engine=engine)
    assert missed(outcome) == {"first": 3, "aged": 1}
    assert outcome.hits == 2  # NO1, and SE1, which lives for ever


def test_keys_with_rules_of_their_own_share_the_lookups_room(engine: Any) -> None:
    trace = told("0 read a", "1 read b", "2 read a", "3 read b")
    plan = Plan(Rules(max_entries=1), keys={"reads": {"a": Rules(absolute="1m")}})
    outcome = replay(trace, plan, engine=engine)
    assert (outcome.hits, outcome.evictions, list(outcome.lookups)) == (0, 3, ["reads"])


def test_what_is_not_told_is_assumed_as_the_rules_say(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n5 read a", assume_size="7 B", assume_cost="2s")
    assert (outcome.memory_peak, outcome.origin_time_ns) == (7, 2 * 10**9)
    usual = replayed(engine, "0 read a size=9\n5 read b", assume_size="7 B")
    assert usual.memory_peak == 18
    trace = told("0 read a lookup=x", "1 read b lookup=y")
    both = replay(trace, Plan(Rules(assume_size=5), {"y": Rules(assume_size=50, entry_overhead=0)}), engine=engine)
    assert (both.lookups["x"].memory_peak, both.lookups["y"].memory_peak) == (69, 50)


def test_large_values_take_longer_to_hit(engine: Any) -> None:
    outcome = replayed(engine, "0 read a size=4096\n1 read a\n2 read a", hit_cost="1us", hit_cost_per_kib="250ns")
    assert outcome.read_time_ns == 2 * (1000 + 1000)
    assert outcome.longest_read_ns == 2000


def test_a_hit_that_would_take_for_ever_is_refused(engine: Any) -> None:
    with pytest.raises(RulesError, match=r"hit_cost_per_kib = 1d makes a hit .* more than 100 years"):
        replayed(engine, f"0 read a size={2**40}", hit_cost_per_kib="1d")
