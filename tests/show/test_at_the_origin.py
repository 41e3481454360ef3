"""Failures and waits stand in tables, figures and pages where an origin is stated, and nowhere else."""

from pathlib import Path

import pytest

import vestigo as vg


@pytest.fixture(scope="module")
def trace() -> vg.Trace:
    return vg.synth(reads=3000, keys=300, seed=1, cost="50ms", rate=100)


PLAN = vg.Plan(vg.Rules(absolute="1s"), origin={"at_once": 3, "give_up": "200ms"})


def test_tables_have_them_where_an_origin_is_stated(trace: vg.Trace) -> None:
    stated, not_stated = vg.replay(trace, PLAN), vg.replay(trace, PLAN.rules)
    assert stated.failed > 0
    for shown in (str(stated), str(vg.compare(trace, PLAN))):
        assert "at the origin" in shown and f" {stated.failed:,} " in shown
    for shown in (str(not_stated), str(vg.compare(trace, PLAN.rules))):
        assert "at the origin" not in shown
    assert "waiting" in str(stated.slices) and "waiting" not in str(not_stated.slices)
    ceiling = next(line for line in str(vg.compare(trace, PLAN)).splitlines()[::-1] if line.startswith("no limits "))
    assert set(ceiling.split()[2:]) == {"-"}


def test_a_figure_over_time_has_failed_reads_if_there_are_any(trace: vg.Trace) -> None:
    for plan, has_failed in ((PLAN, True), (PLAN.rules, False)):
        rates, *_ = vg.figures.timeline(vg.replay(trace, plan))
        assert ("failed" in [one.get_text() for one in rates.texts]) == has_failed


def test_a_report_has_their_charts_and_measures(trace: vg.Trace, tmp_path: Path) -> None:
    for name, plan, told in (("with.html", PLAN, True), ("without.html", vg.Plan(PLAN.rules), False)):
        page = vg.report(trace, plan).write(tmp_path / name).read_text()
        assert ("Calls that wait for the origin" in page) == told
        assert ("failed reads" in page) == told
