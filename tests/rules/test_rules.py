"""What rules take, what they refuse, and how they print."""

from typing import Any

import pytest

from vestigo import Duration, Rules, RulesError


def test_rules_read_units_and_print_as_they_are_called() -> None:
    rules = Rules(
        max_bytes="2 KiB", absolute="90s", sliding="1m", nulls="keep 1500ms", hit_cost="2us", max_entries="no limit"
    )
    assert (rules.max_bytes, rules.absolute, rules.hit_cost) == (2048, 90 * 10**9, 2000)
    assert str(rules.nulls) == "keep 1500ms"
    assert eval(repr(rules), {"Rules": Rules}) == rules
    assert Rules(absolute="never") == Rules()


@pytest.mark.parametrize(
    ("rule", "value", "readings"),
    [
        ("absolute", 300, ['"300s"', '"300ms"']),
        ("sliding", "300", ["300ms", "300s"]),
        ("absolute", "0s", ["never expires", "expires at once"]),
        ("absolute", "5 parsecs", ["parsecs"]),
        ("max_entries", 0, ["no entries", "no limit"]),
        ("max_entries", 1.5, ["whole number"]),
        ("max_bytes", "64 MeB", ["MeB"]),
        ("max_bytes", 0, ["no room", "no limit"]),
        ("max_bytes", -1, ["out of range"]),
        ("nulls", "hide", ['"skip"', '"blind"']),
        ("nulls", "keep 5", ["5s", "5ms"]),
        ("eviction", "oldest", ["lru", "fifo", "arc"]),
        ("eviction", "slru share=3%", ["protected=80%"]),
        ("eviction", "lru-k k=9", ["from 1 to 8"]),
        ("eviction", "2q queue=120%", ["0%", "100%"]),
        ("absolute", "200000d", ["100 years"]),
        ("jitter", 0.1, ['"0%"', '"100%"']),
        ("pin", "a{", ["'{'", "{NAME...}"]),
        ("when_full", "free", ['"evict"', '"refuse"', '"free 10%"']),
        ("when_full", "free 0%", ["free nothing"]),
        ("drop_first", "yes", ["true or false"]),
        ("clear_every", "0s", ["never expires"]),
        ("slidng", "5m", ["did you mean 'sliding'"]),
    ],
)
def test_what_could_be_meant_in_two_ways_is_refused_with_both(rule: str, value: object, readings: list[str]) -> None:
    with pytest.raises(RulesError) as error:
        Rules(**{rule: value})
    for reading in readings:
        assert reading in str(error.value)


def test_all_wrong_rules_are_named_at_once() -> None:
    with pytest.raises(RulesError) as error:
        Rules(absolute=5, sliding=6, clear_at="noon")
    assert [problem.split(":")[0] for problem in error.value.problems] == ["absolute", "sliding", "clear_at"]


def test_a_pool_smaller_than_an_entrys_overhead_is_impossible() -> None:
    with pytest.raises(RulesError, match="max_bytes = 10 is less than entry_overhead = 64"):
        Rules(max_bytes=10)


def test_durations_print_with_the_unit_that_fits() -> None:
    assert [str(Duration(ns)) for ns in (0, 1, 1500, 10**9, 90 * 10**9, 7200 * 10**9)] == [
        "0s",
        "1ns",
        "1500ns",
        "1s",
        "90s",
        "2h",
    ]


@pytest.mark.parametrize(
    ("rules", "says"),
    [
        ({"when_full": "refuse"}, "when_full.*max_entries"),
        ({"when_full": "free 10%", "absolute": "5m"}, "when_full.*max_entries"),
        ({"jitter": "10%", "sliding": "5m"}, "jitter.*absolute"),
        ({"eviction": "belady", "on_write": "drop"}, "eviction.*on_write"),
    ],
)
def test_combinations_that_mean_nothing_are_refused_with_both_rules(rules: dict[str, Any], says: str) -> None:
    with pytest.raises(RulesError, match=says):
        Rules(**rules)


def test_a_policys_parameters_are_read_and_written() -> None:
    rules = Rules(max_entries=200, eviction="2q ghosts=50% queue=10%")
    assert rules.to_dict()["eviction"] == "2q queue=10%"
    assert rules.room.numbers == (20, 100)
    assert Rules(max_bytes="1 KiB", eviction="s3-fifo").room.numbers == (102,)
    assert eval(repr(rules), {"Rules": Rules}) == rules
