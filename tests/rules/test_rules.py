"""What rules take, what they refuse, and how they print."""

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
        ("eviction", "oldest", ['"lru"', '"fifo"']),
        ("absolute", "200000d", ["100 years"]),
        ("jitter", 0.1, ["not supported yet"]),
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
