"""What varies, what is aimed at, and a plan written as text."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
from hypothesis import given, reject

from tests.agreement.cases import Case, cases, without
from vestigo import Plan, PlanError, Pool, Rules, RulesError, read_plan
from vestigo.rules.plan_text import plan_text
from vestigo.rules.vary import combinations, count, name_of

PLAN = Plan(
    Rules(max_entries=500, absolute="10m"),
    {"vessel": Rules(max_entries=50), "berth": Rules(absolute="10m")},
    {"vessel": {"NO{...}": {"nulls": "keep"}, "GB{...}": {"absolute": "2h"}}},
    pools={"desk": Pool(lookups=["tide", "weather"], max_bytes="1 MiB")},
)


def test_a_change_of_the_rules_reaches_whatever_does_not_state_the_rule_itself() -> None:
    plan = PLAN.changed({"rules.absolute": "5m", "lookup.chart.sliding": "1m"})
    assert plan.rules == Rules(max_entries=500, absolute="5m")
    assert plan.rules_for("vessel") == Rules(max_entries=50, absolute="5m")
    assert plan.rules_for("berth") == Rules(max_entries=500, absolute="10m")
    assert plan.rules_for("chart") == Rules(max_entries=500, absolute="5m", sliding="1m")
    assert plan.rules_for_keys("vessel")["NO{...}"] == Rules(max_entries=50, absolute="5m", nulls="keep")
    assert plan.rules_for_keys("vessel")["GB{...}"] == Rules(max_entries=50, absolute="2h")
    assert PLAN.changed({"pool.desk.max_bytes": "2 MiB"}).pools["desk"].max_bytes == 2**21


@pytest.mark.parametrize(
    ("key", "part"),
    [
        ("rules.absolut", "did you mean 'absolute'"),
        ("lookup.vessel.slidng", "did you mean 'sliding'"),
        ("pool.dusk.max_bytes", "pool 'dusk' is unknown; did you mean 'desk'?"),
        ("absolute", "is not a setting; write rules.absolute"),
        ("pool.desk.lookups", "is unknown"),
    ],
)
def test_a_key_that_names_no_rule_is_refused(key: str, part: str) -> None:
    with pytest.raises(RulesError, match=part):
        PLAN.changed({key: 1})


def test_every_combination_comes_once() -> None:
    vary = {"a.b": [1, 2, 3], "lookup.c.d": ["x", "y"]}
    names = [name_of(one) for one in combinations(vary)]
    assert len(set(names)) == len(names) == count(vary) == 6
    assert names[:2] == ["a.b=1, c.d=x", "a.b=1, c.d=y"]
    assert count({}) == 0


def test_the_plan_file_says_what_varies_and_what_to_aim_at(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text(
        '[rules]\nabsolute = "5m"\n[vary]\n"rules.max_entries" = [5, 9]\nlookup.x.sliding = ["1m", "never"]\n'
        '[aim]\nmemory_peak = "<= 1 MiB"\n[worth]\nmillion_loads = 3\ncurrency = "EUR"\n'
    )
    plan = read_plan(path)
    assert plan.vary == {"rules.max_entries": (5, 9), "lookup.x.sliding": ("1m", "never")}
    assert (plan.aim.best, str(plan.aim.each_limit[0])) == (None, "memory peak <= 1.00 MiB")
    assert plan.aim.worth is not None
    assert plan.aim.worth.currency == "EUR"


def test_all_that_is_wrong_with_them_is_told_with_its_line(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text(
        '[vary]\n"rules.max_entris" = [5]\n"rules.max_entries" = []\n"rules.sliding" = [5]\n'
        '[aim]\nmost = "hits"\nstale_rate = "0.5"\nloads = [">= 9", "<= 3"]\n[worth]\nmemory = 1\n'
    )
    with pytest.raises(PlanError) as caught:
        read_plan(path)
    lines = [int(problem.split("line ")[1].split(":")[0]) for problem in caught.value.problems]
    assert {3, 6, 7, 8, 10} <= set(lines)
    path.write_text('[aim]\nmost = "loads"\n')
    with pytest.raises(PlanError, match=r"line 2: aim.most: lower is better for loads; write least instead of most"):
        read_plan(path)
    path.write_text('[vary]\n"rules.max_entris" = [5]\n"rules.sliding" = [5]\n')
    with pytest.raises(PlanError, match=r"line 2: .*did you mean 'max_entries'\?\n.*line 3: .*5 has no unit"):
        read_plan(path)


def meant(plan: Plan) -> dict[str, Any]:
    """What a plan says, without empty tables, and without zones, which mean nothing if there are no times."""

    def without_zones(stated: Any) -> Any:
        return (
            {key: without_zones(it) for key, it in stated.items() if key != "zone"}
            if isinstance(stated, dict)
            else stated
        )

    stated: dict[str, Any] = without_zones(plan.to_dict())
    stated["lookups"] = {name: rules for name, rules in stated["lookups"].items() if rules}
    stated["keys"] = {
        name: [[pattern, without_zones(rules)] for pattern, rules in each] for name, each in stated["keys"].items()
    }
    return stated


@given(cases())
def test_a_plan_as_text_is_the_same_plan(case: Case) -> None:
    """This holds for any rules. Moments, also those of origins, are no real ones in random cases."""
    try:
        plan = without(case.plan, "clear_at", "absolute_at", "preload", "preload_cost")
    except RulesError:
        reject()  # another rule needs one of them
    with TemporaryDirectory() as folder:
        path = Path(folder, "plan.toml")
        path.write_text(plan_text(plan.to_dict()))
        assert meant(read_plan(path)) == meant(plan)
    assert Plan.from_dict(plan.to_dict()).to_dict() == plan.to_dict()
