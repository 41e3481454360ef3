"""One catalogue of what could be otherwise, made from the table of rules, and one way to try it."""

from typing import Any

import numpy as np
import pytest

import vestigo as vg
from vestigo import Duration, Plan, Rules, Trace
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.explaining.hypotheses.amounts import of_amount, resolution, spread, with_amount
from vestigo.explaining.hypotheses.catalogue import ASSUMED, IN_WORDS, MEANS_NOTHING_ALONE, of_rules, rules_tried
from vestigo.explaining.hypotheses.hypothesis import Hypothesis
from vestigo.explaining.hypotheses.trying import Score, Trying, trying
from vestigo.rules.plan_text import rule_text
from vestigo.rules.rule import rules_of
from vestigo.rules.values import from_text
from vestigo.units import SECOND

STATED: dict[str, Any] = {
    "max_entries": 40,
    "max_bytes": "1 MiB",
    "absolute": "10m",
    "sliding": "5m",
    "reload_after": "80%",
    "jitter": "20%",
    "serve_stale": "5s",
    "absolute_at": ["06:00"],
    "zone": "UTC",
    "keep_if": ["size <= 64 KiB"],
    "pin": ["x"],
    "tell_nodes": "drop",
    "tell_delay": "10ms",
    "batch": "20ms",
    "clear_every": "1h",
    "clear_at": ["03:00"],
}
PLAN = Plan(Rules(**STATED))
STATED_TODAY = {rule: from_text(rule_text(rule, getattr(PLAN.rules, rule))) for rule in rules_of(Rules)}
ALONE = Plan(Rules(**{rule: value for rule, value in STATED.items() if not rule.startswith("tell_")}))
"""Without rules that need others."""


def events(rows: int = 300) -> Trace:
    """Reads, writes and a restart, on two nodes, with scopes: what puts every rule to the test."""
    draws = np.random.default_rng(1)
    op = np.where(np.arange(rows) % 10 == 9, "write", "read").astype(object)
    op[rows // 2] = "restart"
    names = np.where(op == "restart", None, np.where(draws.random(rows) < 0.5, "vessel", "berth"))
    return vg.read_trace(
        {
            "at": np.arange(rows) * 10**9,
            "op": op,
            "key": np.where(op == "restart", None, draws.integers(0, 60, rows).astype(str)),
            "lookup": names,
            "node": np.where(op == "restart", None, draws.choice(["n1", "n2"], rows)),
            "scope": np.where(op == "read", (np.arange(rows) // 5).astype(str), None),
        }
    )


def test_every_rule_is_in_the_catalogue() -> None:
    every = rules_of(Rules)
    left_out = {name for name, rule in every.items() if rule.heading == ASSUMED} | {*MEANS_NOTHING_ALONE}
    assert {*every} - {*rules_tried()} == left_out - {*IN_WORDS}
    trace = events()
    otherwise = [one for one in of_rules(trace, PLAN) if one.rules]
    assert {rule for one in otherwise for rule in one.rules} == {*rules_tried()}
    assert not [one.rules for one in otherwise if STATED_TODAY | one.rules == STATED_TODAY]


@pytest.mark.parametrize("rule", rules_tried())
def test_what_the_catalogue_writes_is_accepted_by_a_plan(rule: str) -> None:
    tried = [one for one in of_rules(events(), PLAN) if [*one.rules] == [rule]]
    assert tried
    assert any(_is_accepted(one) for one in tried), [one.rules for one in tried]


def _is_accepted(one: Hypothesis) -> bool:
    plan = ALONE if "per" in one.rules else PLAN
    try:
        return plan.changed({f"rules.{rule}": value for rule, value in one.rules.items()}) != plan
    except vg.RulesError:  # another rule needs this one
        return False


def test_the_words_of_the_catalogue_are_rules_and_their_values() -> None:
    for rule, sentences in IN_WORDS.items():
        for value in sentences:
            stated = Rules(**{"max_entries": 5, "absolute": "1m", rule: from_text(value)})
            assert rule_text(rule, getattr(stated, rule)) == value


def test_rules_that_a_trace_does_not_put_to_the_test_are_not_tried() -> None:
    quiet = vg.read_trace({"at": [0, 3600 * SECOND], "key": ["a", "a"]})
    tried = {rule for one in of_rules(quiet, Plan(Rules(max_entries=1))) for rule in one.rules}
    assert not tried & {"on_write", "tell_nodes", "tell_delay", "survives_restart", "per", "batch"}
    assert {"nulls", "eviction", "absolute", "max_entries", "drop_first"} <= tried


def hits(trace: Trace, plan: Plan, _: bool) -> vg.Outcome:
    return run(job(trace, plan), "tried")


def far_from(wanted: vg.Outcome) -> Score[vg.Outcome]:
    """How many hits are missing, or too many, in all look-ups."""

    def by_lookup(found: vg.Outcome) -> dict[str, float]:
        return {name: abs(one.hits - wanted.lookups[name].hits) for name, one in found.lookups.items()}

    return Score(hits, lambda found: sum(by_lookup(found).values()), by_lookup)


def test_what_helps_one_look_up_and_harms_another_is_said_of_the_one() -> None:
    trace, today = events(2000), Plan(Rules(max_entries=20))
    wanted = hits(trace, today.changed({"lookup.vessel.max_entries": 8}), False)
    with trying(trace, today, far_from(wanted)) as tries:
        (best,) = tries.best_of_each_kind([of_amount("max_entries", 10, 20)], hits(trace, today, False))
    assert (best.what, best.off) == ("vessel runs with max_entries = 8", 0)
    assert best.changes == {"lookup.vessel.max_entries": 8}


def test_a_change_that_is_better_for_all_is_not_narrowed_down() -> None:
    """To answer for the look-ups where it helps is a remedy, not a rule: the better of the two is taken."""
    trace, today = events(2000), Plan(Rules(max_entries=20))
    wanted = hits(trace, today.changed({"rules.max_entries": 12}), False)
    with trying(trace, today, far_from(wanted)) as tries:
        found = tries.all_tried([of_amount("max_entries", 12, 20)], hits(trace, today, False))
    assert [(one.lookups, one.off) for one in found] == [((), 0)]


def test_what_adds_rows_is_begun_first_and_told_in_its_place() -> None:
    trace, begun = events(), []

    def noted(on: Trace, plan: Plan, _: bool) -> int:
        assert on is trace
        begun.append(plan)
        return 0

    changes = [{"rules.sliding": "1m"}, {"lookup.vessel.preload": "start"}, {"rules.absolute": "1m"}]
    score = Score(noted, float)
    found = Trying(trace, Plan(), score, map).all_tried([Hypothesis("", keys=each) for each in changes], 0)
    assert [one.changes for one in found] == changes
    assert begun == [Plan().changed(changes[place]) for place in (1, 0, 2)]


def test_what_changes_nothing_explains_nothing() -> None:
    trace, today = events(), Plan(Rules(max_entries=20))
    wanted = hits(trace, today.changed({"rules.max_entries": 5}), False)
    with trying(trace, today, far_from(wanted)) as tries:
        found = tries.best_of_each_kind([Hypothesis("", {"overlap": "repeat"})], hits(trace, today, False))
    assert found == []


def test_amounts_are_told_as_exactly_as_people_write_them() -> None:
    assert [resolution(Duration.parse(text)) for text in ("30s", "9m")] == [10**9, 10 * 10**9]
    assert [resolution(entries) for entries in (30, 5000)] == [1, 5]
    near = with_amount(of_amount("absolute", Duration.parse("10m")), Duration.parse("587s"))
    assert near is not None
    assert near.what == "absolute = 590s"
    assert with_amount(of_amount("max_entries", 10, 10), 1000) is None  # too far to be mixed up with what is stated


def test_no_duration_is_refined_to_less_than_a_thousandth_of_the_trace() -> None:
    """It would explain anything, and a million clears are a long replay."""
    shortest, *_ = (one for one in spread("clear_every", 7200 * SECOND) if one.amount is not None)
    assert shortest.what == "clear_every = 10s"
    assert with_amount(shortest, Duration.parse("8s")) is not None
    assert with_amount(shortest, Duration.parse("7s")) is None
