"""A choice that keeps limits of bad moments: candidates are rehearsed from the best one down."""

import pickle
from pathlib import Path

import numpy as np
import pytest

import vestigo as vg
from vestigo.rules.aim import Limit
from vestigo.units import SECOND

LIMITS = {"rehearsed.outage.failed": "<= 20", "rehearsed.restart.waiting": "<= today + 50 %"}


@pytest.fixture(scope="module")
def trace() -> vg.Trace:
    """Half an hour of ten reads a second, of one of 100 keys, after twenty minutes of the same. A load takes 100 ms."""
    at = 1_773_705_600 * SECOND + np.arange(50 * 600) * SECOND // 10
    key = np.random.default_rng(3).integers(0, 100, len(at))
    return vg.read_trace({"at": at, "key": key, "cost": np.full(len(at), SECOND // 10)})


@pytest.fixture(scope="module")
def plan() -> vg.Plan:
    return vg.Plan(
        vg.Rules(absolute="1m"),
        candidates={
            "most hits": vg.Rules(absolute="3m"),
            "given on failure": vg.Rules(absolute="2m", serve_on_failure="1h"),
        },
        origin={"at_once": 2},
        aim={"most": "hit_rate", "limits": LIMITS},
        vary={"rules.absolute": ["1m"]},
    )


def test_the_best_that_keeps_them_is_picked(trace: vg.Trace, plan: vg.Plan) -> None:
    found = vg.sweep(trace, plan)
    assert found.choose(vg.Aim(most="hit_rate")).candidate.name == "most hits"
    pick = found.choose()
    assert pick.is_met and pick.candidate.name == "given on failure"
    assert pick.bad_days is not None and pick.bad_days.passed_over == ("most hits",)
    said = next(one for one in pick.because if one.startswith("In the busiest minute"))
    assert "failed reads (outage rehearsed)" in said and "1 better one does not" in said
    assert said in " ".join(str(pick).split())


def test_the_amounts_are_those_of_a_rehearsal(trace: vg.Trace, plan: vg.Plan) -> None:
    pick = vg.sweep(trace, plan).choose()
    rehearsed = vg.rehearse(trace, plan)
    assert pick.bad_days is not None
    assert dict(pick.bad_days.amounts) == {
        "rehearsed.outage.failed": rehearsed.row("outage", "given on failure").failed,
        "rehearsed.restart.waiting": rehearsed.row("restart", "given on failure").waiting,
    }
    today = rehearsed.row("restart").waiting
    assert [limit.bound for limit in pick.bad_days.limits] == [20, 1.5 * today]
    worst = max(rehearsed.row(moment, "given on failure").slow for moment in rehearsed.moments)
    of_all = vg.sweep(trace, plan).choose(vg.Aim(most="hit_rate", limits={**LIMITS, "rehearsed.slow": "<= 100000"}))
    assert of_all.bad_days is not None and of_all.bad_days.amounts["rehearsed.slow"] == worst


def test_if_none_keeps_them_the_best_in_calm_times_is_told_with_what_it_breaks(trace: vg.Trace, plan: vg.Plan) -> None:
    pick = vg.sweep(trace, plan).choose(most="hit_rate", limits={"rehearsed.outage.recovery": "<= 1s"})
    assert not pick.is_met and pick.candidate.name == "most hits"
    assert "as well off after (outage rehearsed)" in pick.because[0] and "<= 1.00 s" in pick.because[0]


def test_a_search_rehearses_what_it_found(trace: vg.Trace, plan: vg.Plan) -> None:
    rules = {"each.absolute": ["1m", "2m", "3m"], "each.serve_on_failure": ["0s", "1h"]}
    searched = vg.search(trace, vg.Plan(plan.rules, vary=rules, origin=plan.origin, candidates=plan.candidates))
    best, stands = searched.choose(vg.Aim(most="hit_rate")), searched.choose(vg.Aim(most="hit_rate", limits=LIMITS))
    assert best.bad_days is None and stands.is_met
    assert stands.candidate.hit_rate <= best.candidate.hit_rate
    assert stands.candidate.plan.rules_for("reads").serve_on_failure > 0
    within = {**LIMITS, "hit_rate": "<= 93 %"}  # what is found for other limits has the same name
    less = searched.choose(vg.Aim(most="hit_rate", limits=within))
    for pick in (stands, less):
        assert pick.bad_days is not None and len(set(pick.bad_days.passed_over)) == len(pick.bad_days.passed_over)
        plan_again = vg.Plan(pick.candidate.plan.rules_for("reads"), origin=plan.origin)
        again = vg.rehearse(trace, plan_again, moments=["outage"])
        assert pick.bad_days.amounts["rehearsed.outage.failed"] == again.row("outage").failed


def test_what_was_read_back_cannot_be_rehearsed(trace: vg.Trace, plan: vg.Plan, tmp_path: Path) -> None:
    found = vg.sweep(trace, plan)
    pick = found.choose()
    assert vg.load(vg.save(pick, tmp_path / "pick.json")) == pick
    for again in (vg.load(vg.save(found, tmp_path / "found.json")), pickle.loads(pickle.dumps(found))):
        assert again == found
        with pytest.raises(vg.InputError, match="need the trace"):
            again.choose()


def test_only_limits_can_be_about_bad_moments() -> None:
    aim = vg.Aim(most="hit_rate", limits=LIMITS)
    assert aim.each_limit == () and [one.name for one in aim.rehearsed] == list(LIMITS)
    assert vg.Aim.from_dict(aim.to_dict()) == aim
    assert Limit.read("rehearsed.recovery", "<= 2m").bound == 120
    for wrong in ({"least": "rehearsed.failed"}, {"limits": {"rehearsed.flood.failed": "<= 1"}}):
        with pytest.raises(vg.RulesError, match="unknown"):
            vg.Aim(**wrong)  # type: ignore[arg-type]
