"""The comparison: baseline and ceilings are what they say."""

import pytest
from hypothesis import given, settings

from tests.agreement.cases import Case, cases
from tests.telling import told
from vestigo import Plan, Rules, RulesError, compare

TRACE = told(
    "0 read a version=1 cost=2", "5 read a version=1 cost=2", "6 write a version=2", "9 read a version=2 cost=2"
)


@given(cases())
@settings(max_examples=200)
def test_no_settings_pass_the_ceilings(case: Case) -> None:
    results = compare(case.trace, case.plan)
    top, fresh = (results[name] for name in results.ceilings)
    today, nothing = results["today"], results.baseline
    assert today.reads == top.reads == fresh.reads == nothing.reads
    assert today.hits <= top.hits
    assert today.hits - today.stale_hits <= fresh.hits
    assert today.loads >= top.loads
    assert fresh.stale_hits == 0
    assert nothing.hits == 0 and nothing.loads == nothing.reads and nothing.memory_peak == 0


def test_time_saved_is_measured_against_no_cache(engine: str) -> None:
    results = compare(TRACE, Plan(Rules(on_write="drop")), engine=engine)  # type: ignore[arg-type]
    assert results.baseline.origin_time_ns == 6 * 10**9
    assert results.time_saved("today") == pytest.approx(2)
    assert results.time_saved("today", "reads") == pytest.approx(2)


def test_candidates_stand_between_today_and_the_ceilings() -> None:
    plan = Plan(Rules(), candidates={"drop": Plan(Rules(on_write="drop"))})
    results = compare(TRACE, plan)
    assert list(results) == ["no cache", "today", "drop", "no limits", "no limits, fresh"]
    assert results.settings == ["today", "drop"]
    assert results["today"].stale_hits == 1 and results["drop"].stale_hits == 0
    assert list(results.to_pandas().index) == list(results)
    assert results.to_dict()["drop"] == results["drop"].to_dict()
    assert "<table" in results._repr_html_()


def test_progress_is_told_after_every_replay() -> None:
    told_of: list[tuple[int, int]] = []
    compare(TRACE, Plan(), progress=lambda done, of: told_of.append((done, of)))
    assert told_of == [(1, 4), (2, 4), (3, 4), (4, 4)]


def test_a_candidate_cannot_take_a_name_of_ours() -> None:
    with pytest.raises(RulesError, match="'no cache': the name is taken"):
        compare(TRACE, Plan(candidates={"no cache": Plan()}))
