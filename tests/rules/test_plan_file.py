"""The plan file: how its tables lie over each other, and every problem with its line."""

from pathlib import Path

import pytest

from vestigo import Plan, PlanError, Rules, RulesError, read_plan

PLAN = """
[trace]
path = "t.parquet"
warm_up = "30m"

[rules]
max_entries = 2000
absolute = "10m"

[lookup.vessel]
max_entries = 500
nulls = "keep 30s"

[candidate.roomy]
rules.absolute = "1h"
lookup.vessel.max_entries = 5000
lookup.berth.sliding = "5m"
"""


def plan_of(folder: Path, text: str) -> Plan:
    (folder / "plan.toml").write_text(text)
    return read_plan(folder / "plan.toml")


def refused(folder: Path, text: str) -> list[str]:
    with pytest.raises(PlanError) as error:
        plan_of(folder, text)
    return [problem.removeprefix(f"{folder}/plan.toml") for problem in error.value.problems]


def test_look_ups_start_from_the_rules_and_candidates_from_today(tmp_path: Path) -> None:
    plan = plan_of(tmp_path, PLAN)
    assert plan.trace_path == tmp_path / "t.parquet"
    assert str(plan.warm_up) == "30m"
    assert plan.rules_for("berth") == Rules(max_entries=2000, absolute="10m")
    assert plan.rules_for("vessel") == Rules(max_entries=500, absolute="10m", nulls="keep 30s")
    roomy = plan.candidates["roomy"]
    assert roomy.rules_for("vessel") == Rules(max_entries=5000, absolute="1h", nulls="keep 30s")
    assert roomy.rules_for("berth") == Rules(max_entries=2000, absolute="1h", sliding="5m")
    assert roomy.rules_for("tide") == Rules(max_entries=2000, absolute="1h")


def test_every_problem_is_named_once_with_its_line(tmp_path: Path) -> None:
    text = """[trace]
warm_up = "soon"
[rules]
absolute = 300
slidng = "5m"
[lookup.vessel]
jitter = 0.1
[candidate.big]
max_entries = 5
lookup.vessel.max_bytes = "1 B"
[vary]
a = 1
[ruls]
"""
    assert [problem.split(":")[0] for problem in refused(tmp_path, text)] == [
        ", line 2",
        ", line 4",
        ", line 5",
        ", line 7",
        ", line 9",
        ", line 10",
        ", line 11",
        ", line 13",
    ]
    found = "\n".join(refused(tmp_path, text))
    for part in (
        "300s",
        "did you mean 'sliding'",
        "not supported yet",
        "did you mean 'rules'",
        "rules.max_entries",
        "entry_overhead",
    ):
        assert part in found


@pytest.mark.parametrize(
    "text", ["a = ", "rules = 5", "[rules]\nabsolute='1h'\nabsolute='2h'", "lookup = [1]", "[trace]\npath = 5"]
)
def test_what_is_no_plan_gets_a_sentence(tmp_path: Path, text: str) -> None:
    assert refused(tmp_path, text)


def test_a_plan_that_is_not_there_or_not_text(tmp_path: Path) -> None:
    with pytest.raises(PlanError, match="cannot be read"):
        read_plan(tmp_path / "none.toml")
    (tmp_path / "plan.toml").write_bytes(b"\xff\xfe")
    with pytest.raises(PlanError, match="not UTF-8"):
        read_plan(tmp_path / "plan.toml")


def test_a_warm_up_may_be_a_number_of_reads(tmp_path: Path) -> None:
    assert plan_of(tmp_path, "[trace]\nwarm_up = 500").warm_up == 500
    with pytest.raises(RulesError, match="warm_up"):
        Plan(Rules(), warm_up=-1)
