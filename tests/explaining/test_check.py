"""What each rule earns, which changes help most, and what a check does with odd plans."""

from importlib import import_module
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given

import vestigo as vg
from tests.agreement.cases import Case, cases
from tests.few import few
from tests.telling import told
from vestigo import InputError, Plan, Pool, Rules, RulesError
from vestigo.rules.plan_text import plan_lines

TRACE = vg.synth(4_000, keys=200, skew=0.8, changes="20s", nulls="10%", nodes=2, seed=5)
PLAN = Plan(
    Rules(max_entries=50, absolute="10s", jitter="10%", overlap="join"),
    {"reads": {"nulls": "keep 5s", "on_write": "drop"}},
    warm_up="5s",
)


def test_a_rule_earns_what_is_missing_without_it() -> None:
    found = vg.check(TRACE, PLAN)
    today = vg.replay(TRACE, PLAN)
    without = vg.replay(TRACE, Plan(Rules(max_entries=50, absolute="10s", jitter="10%"), PLAN.lookups, warm_up="5s"))
    (overlap,) = [one for one in found.rules if one.key == "rules.overlap"]
    effect = found.effect(overlap.tried["without"])
    assert effect["loads"] == without.loads - today.loads
    assert effect["hits"] == without.hits - today.hits
    assert effect["memory_peak"] == without.memory_peak - today.memory_peak
    assert effect["read_time"] == pytest.approx((without.read_time_ns - today.read_time_ns) / 1e9)


def test_every_stated_rule_is_tried_and_every_amount_halved_and_doubled() -> None:
    found = {one.key: one for one in vg.check(TRACE, PLAN).rules}
    assert set(found) == {
        *("rules.max_entries", "rules.absolute", "rules.jitter", "rules.overlap"),
        *("lookup.reads.nulls", "lookup.reads.on_write"),
    }
    assert set(found["rules.max_entries"].tried) == {"without", "half", "double"}
    assert set(found["rules.overlap"].tried) == {"without"}
    assert set(found["lookup.reads.nulls"].tried) == {"without", "half", "double"}
    assert found["rules.absolute"].tried.keys() == {"half", "double"}
    assert found["rules.absolute"].not_tried.startswith("jitter needs absolute")


@pytest.mark.parametrize(
    ("key", "what", "plan"),
    [
        ("rules.max_entries", "half", PLAN.changed({"rules.max_entries": 25})),
        ("rules.absolute", "double", PLAN.changed({"rules.absolute": "20s"})),
        ("rules.jitter", "double", PLAN.changed({"rules.jitter": "20%"})),
        ("lookup.reads.nulls", "half", PLAN.changed({"lookup.reads.nulls": "keep 2500ms"})),
    ],
)
def test_a_step_is_the_plan_with_that_amount(key: str, what: str, plan: Plan) -> None:
    found = vg.check(TRACE, PLAN)
    (rule,) = [one for one in found.rules if one.key == key]
    assert found.found[rule.tried[what]].hits == vg.replay(TRACE, plan).hits


def test_rules_of_keys_and_pools_are_taken_away_too() -> None:
    plan = Plan(
        keys={"reads": {"1{...}": {"absolute": "1s"}}},
        pools={"desk": Pool(lookups=["reads"], max_entries=20, eviction="fifo")},
    )
    found = {one.key: one for one in vg.check(TRACE, plan).rules}
    assert set(found) == {"lookup.reads.keys.1{...}.absolute", "pool.desk.max_entries", "pool.desk.eviction"}
    assert all("without" in one.tried for one in found.values())


def test_what_changes_nothing_is_named() -> None:
    found = vg.check(told("0 read a", "1 read a"), Rules(max_entries=9, absolute="1h", collect="prompt"))
    assert {one.key for one in found.idle} == {"rules.max_entries", "rules.collect"}  # collect needs absolute
    assert "These rules make no difference on this trace: " in str(found)


def test_the_best_changes_are_those_that_help_the_aim_within_the_limits() -> None:
    free = vg.check(TRACE, PLAN)
    gains = [free.gain(one.name) for _, _, one in free.best()]
    assert gains == sorted(gains, reverse=True) and gains[0] > 0
    bound = Plan(
        PLAN.rules, PLAN.lookups, warm_up="5s", aim=vg.Aim(most="hit_rate", limits={"memory_peak": "<= today"})
    )
    found = vg.check(TRACE, bound)
    assert all(one.memory_peak <= found.found.today.memory_peak for _, _, one in found.best())


def test_the_mended_plan_is_no_worse_and_is_what_was_replayed() -> None:
    plan = Plan(Rules(absolute="5ms", entry_overhead=0))
    found = vg.check(TRACE, plan)
    assert found.gain(found.fixed_name) > 0
    assert vg.replay(TRACE, Plan(found.fixed.rules, found.fixed.lookups)).hits == found.found[found.fixed_name].hits


def test_results_are_kept_and_found_again(tmp_path: Path) -> None:
    made: list[int] = []

    def count(what: str, done: int, _: int) -> None:
        if what in {"rules", "fixes"}:  # those are replayed
            made.append(done)

    first = vg.check(TRACE, PLAN, results=tmp_path / "kept", progress=count)
    assert made
    made.clear()
    assert vg.check(TRACE, PLAN, results=tmp_path / "kept", progress=count) == first
    assert not made


def test_the_end_of_a_long_trace_is_checked_and_that_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(import_module("vestigo.explaining.check.trials"), "MOST_EVENTS", 1_000)
    found = vg.check(TRACE, Rules(max_entries=50))
    assert found.notes[0].startswith("checked on the last 1,000 of 4,")
    assert found.found.today.reads <= 1_000


def test_a_plan_without_rules_has_nothing_to_take_away() -> None:
    found = vg.check(TRACE, Plan())
    assert found.rules == [] and "The plan states no rules, so there is nothing to take away." in str(found)


def test_what_does_not_fit_is_refused() -> None:
    with pytest.raises(RulesError, match="the plan's look-up is not in the trace"):
        vg.check(TRACE, Plan(lookups={"nobody": {"absolute": "1m"}}))
    with pytest.raises(InputError, match="stale hits cannot be judged"):
        vg.check(told("0 read a", "1 read a"), Plan(Rules(absolute="1m"), aim=vg.Aim(least="stale_rate")))


def test_an_empty_trace_and_one_without_reads_are_checked() -> None:
    for trace in (vg.read_trace({"at": [], "key": []}), told("0 write a")):
        assert vg.check(trace, Rules(max_entries=5)).most_costly == 0


def test_what_is_different_about_the_trace_is_so_for_every_trial() -> None:
    """A slower origin lengthens the costs that a plan assumes, too."""
    trace = told(*(f"{at} read {'ab'[at % 2]}" for at in range(40)))
    plan = Plan(Rules(max_entries=1, assume_cost="1s", overlap="repeat"), what_if=vg.WhatIf(origin=3))
    found = vg.check(trace, plan)
    (limit,) = [one for one in found.rules if one.key == "rules.max_entries"]
    for what, most in {"without": "no limit", "double": 2}.items():
        expected = vg.replay(trace, plan.changed({"rules.max_entries": most})).origin_time_ns / 1e9
        assert found.found[limit.tried[what]].measure("origin_time") == expected
    assert found.found.today.measure("origin_time") == vg.replay(trace, plan).origin_time_ns / 1e9
    assert found.fixed.what_if == plan.what_if


def test_a_look_up_may_have_dots_in_its_name() -> None:
    reads = [f"{at} read a lookup=desk.tide version={at // 50}" for at in range(0, 400, 5)]
    found = vg.check(told(*reads), Plan(lookups={"desk.tide": {"sliding": "10s"}}))
    (mistake,) = [one for one in found.mistakes if one.kind == "sliding without absolute"]
    assert mistake.where == "lookup.desk.tide.sliding"
    assert set(mistake.changes) == {"lookup.desk.tide.absolute"}
    assert plan_lines(mistake.changes).startswith('[lookup."desk.tide"]')


def test_lines_are_grouped_by_table() -> None:
    changes: dict[str, Any] = {"lookup.a b.pin": ["x"], "lookup.a b.drop_first": False, "pool.desk.max_entries": 5}
    assert (
        plan_lines(changes)
        == '[lookup."a b"]\npin = [\n    "x",\n]\ndrop_first = false\n\n[pool.desk]\nmax_entries = 5'
    )


@few(4)
@given(cases())
def test_whatever_the_rules_a_check_is_made_and_told(case: Case) -> None:
    found = vg.check(case.trace, case.plan)
    assert found.gain(found.found.today.name) == 0
    assert len(found.to_dict()["mistakes"]) == len(found.mistakes)
    assert str(found).startswith(f"{len(found.mistakes)} likely mistake")


def test_a_check_is_data() -> None:
    found = vg.check(TRACE, PLAN)
    assert found.to_dict()["aim"] == "fresh hits"
    assert len(found.to_pandas()) == sum(len(one.tried) for one in found.rules)
    assert "likely mistake" in str(found)
