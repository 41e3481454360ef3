"""The plan file: how its tables lie over each other, and every problem with its line."""

from pathlib import Path

import pytest

from vestigo import Plan, PlanError, Pool, Rules, RulesError, WhatIf, read_plan

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
        ", line 12",
        ", line 13",
    ]
    found = "\n".join(refused(tmp_path, text))
    for part in (
        "300s",
        "did you mean 'sliding'",
        "not a list of values",
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


RICH = """
[rules]
max_entries = 500
absolute = "10m"

[lookup.chart]
pin = ["9/{...}"]

[lookup.chart.keys."14/{...}"]      # large tiles
absolute = "1h"
keep_if = "size <= 64 KiB"

[pool.desk]
lookups = ["berth", "weather"]
max_bytes = "32 MiB"
eviction = "gdsf"

[whatif]
nodes = 4
traffic = 2.5

[candidate.shared]
pool.desk.max_bytes = "64 MiB"
lookup.chart.keys."14/{...}".absolute = "2h"
"""


def test_pools_keys_and_what_if_are_read(tmp_path: Path) -> None:
    plan = plan_of(tmp_path, RICH)
    assert plan.pools == {"desk": Pool(lookups=["berth", "weather"], max_bytes="32 MiB", eviction="gdsf")}
    large = Rules(max_entries=500, absolute="1h", pin="9/{...}", keep_if="size <= 64 KiB")
    assert plan.rules_for_keys("chart") == {"14/{...}": large}
    assert plan.keys["chart"]["14/{...}"].to_dict() == {"absolute": "1h", "keep_if": "size <= 64 KiB"}
    assert plan.what_if == WhatIf(nodes=4, traffic=2.5)
    assert plan.pool_rules("berth").max_entries is None
    assert plan.pool_rules("tide").max_entries == 500
    shared = plan.candidates["shared"]
    assert shared.pools["desk"] == Pool(lookups=["berth", "weather"], max_bytes="64 MiB", eviction="gdsf")
    assert str(shared.rules_for_keys("chart")["14/{...}"].absolute) == "2h"
    assert shared.rules_for_keys("chart")["14/{...}"].keep_if == large.keep_if


def test_problems_of_pools_keys_and_what_if_have_their_lines(tmp_path: Path) -> None:
    text = """[rules]
max_entries = 500
[lookup.berth]
max_entries = 20
[lookup.chart.keys."14/{"]
absolute = "1h"
[lookup.chart.keys."9/{...}"]
max_bytes = "1 MiB"
[pool.desk]
lookups = ["berth", "weather"]
max_bytes = 0
[pool.other]
lookups = ["berth"]
[pool.third]
max_entries = 5
[whatif]
nodes = 0
spread = "by luck"
speed = 2
"""
    problems = refused(tmp_path, text)
    assert [problem.split(":")[0] for problem in problems] == [
        f", line {line}" for line in (4, 5, 8, 11, 14, 17, 18, 19)
    ]
    fixed = text.replace('"14/{"', '"14/{}"').replace("max_bytes = 0", "max_bytes = 900")
    fixed = fixed.replace("[pool.third]\nmax_entries = 5\n", "")
    problems = refused(tmp_path, fixed[: fixed.index("[whatif]")])
    assert [problem.split(" ", 3)[2] for problem in problems] == ["4:", "4:", "8:", "13:"]
    assert "give it to pool.desk" in problems[0] and "give it to pool.other" in problems[1]
    assert "max_bytes is for a whole look-up" in problems[2]
    assert "'berth' is in the pool 'desk' already" in problems[3]


def test_a_candidates_problem_stands_where_it_comes_from(tmp_path: Path) -> None:
    text = """[pool.desk]
lookups = ["berth"]
[candidate.own]
lookup.berth.max_entries = 7
[candidate.drops]
pool.desk.eviction = "belady"
rules.on_write = "drop"
"""
    assert [problem.split(":")[0] for problem in refused(tmp_path, text)] == [", line 4", ", line 6"]


def test_every_contradiction_is_told_with_the_lines_of_both(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text(
        '[rules]\nwhen_full = "free 10%"\njitter = "10%"\ntell_nodes = "drop"\nper = "all"\n'
        '[lookup.vessel]\nmax_entries = 2\nper = "node"\npin = ["a", "b", "c"]\n'
        '[lookup.berth]\neviction = "belady"\nmax_entries = 9\non_write = "drop"\n'
    )
    with pytest.raises(PlanError) as caught:
        read_plan(path)
    problems = str(caught.value).splitlines()
    for line, rule in {2: "when_full", 3: "jitter", 5: "rules.per: tell_nodes", 9: "pin"}.items():
        assert any(f"line {line}: {rule}" in problem for problem in problems)
    assert any("max_entries = 2 has no room" in problem and "line 7, too" in problem for problem in problems)
    assert any('eviction = "belady" and on_write' in problem and "line 11, too" in problem for problem in problems)


def test_a_look_up_takes_back_what_the_rules_of_all_state(tmp_path: Path) -> None:
    text = """[rules]
max_entries = 5
absolute = "1h"
jitter = "10%"
absolute_at = "06:00"
clear_at = "18:00"
zone = "UTC"
keep_if = "size <= 1 KiB"
pin = "a"
[lookup.x]
max_entries = "no limit"
absolute = "never"
jitter = "0%"
absolute_at = "never"
clear_at = "never"
keep_if = "all"
pin = []
"""
    assert plan_of(tmp_path, text).rules_for("x") == Rules(zone="UTC")


def test_limits_of_measures_with_a_dot_need_no_quotes(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text('[aim]\nread_time.p95 = "<= 20ms"\n"origin_wait.p95" = "<= 1s"\n')
    assert dict(read_plan(path).aim.limits) == {"read_time.p95": "<= 20ms", "origin_wait.p95": "<= 1s"}
    path.write_text('[aim]\nmost = "hit_rate"\nread_time.p95 = "20ms"\n')
    with pytest.raises(PlanError, match=r"line 3: .*read_time.p95"):
        read_plan(path)
