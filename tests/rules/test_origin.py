"""What a plan may state of an origin, and what is said of what it may not."""

from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import pytest

import vestigo as vg
from vestigo.engine.origins import Pace, origins_of
from vestigo.prepared.fill import assume
from vestigo.rules.plan_text import plan_text
from vestigo.rules.windows import Windows
from vestigo.units import SECOND

DAY = int(datetime(2026, 3, 17, tzinfo=UTC).timestamp()) * SECOND
HOUR = 3600 * SECOND

PLAN = """\
[rules]
absolute = "10m"
[origin]
at_once = 20
down = ["2026-03-17 09:00 for 60s", "18:00 for 5m"]
slower = "3x 2026-03-17T09:00:00+01:00 for 10m"
give_up = "2s"
zone = "Europe/Oslo"
[origin.archive]
lookups = ["chart"]
at_once = 4
"""


def trace(hours: float = 48) -> vg.Trace:
    at = [DAY, DAY + int(hours * HOUR)]
    return vg.read_trace({"at": at, "key": ["a", "b"], "lookup": ["chart", "berth"], "cost": [5, 5]})


def test_a_plan_file_states_an_origin_for_all_and_others_by_name(tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(PLAN)
    plan = vg.read_plan(tmp_path / "plan.toml")
    assert plan.origin.at_once == 20 and plan.origins["archive"].lookups == ("chart",)
    assert plan.origin_for("chart") == ("archive", plan.origins["archive"])
    assert plan.origin_for("berth") == ("", plan.origin)
    assert vg.Plan(origins={"archive": plan.origins["archive"]}).origin_for("berth") is None
    (tmp_path / "again.toml").write_text(plan_text(plan.to_dict()))
    assert vg.read_plan(tmp_path / "again.toml") == plan == vg.Plan.from_dict(plan.to_dict())


def test_windows_are_on_the_clock_of_their_zone_and_come_every_day_if_they_name_none() -> None:
    windows = Windows.down(["2026-03-17 09:00 for 60s", "18:00 for 5m"])
    found = windows.between(DAY, DAY + 48 * HOUR, "Europe/Oslo")
    assert [one.begins - DAY for one in found] == [8 * HOUR, 17 * HOUR, 41 * HOUR]
    assert [one.ends - one.begins for one in found] == [60 * SECOND, 300 * SECOND, 300 * SECOND]
    assert windows.between(DAY + 8 * HOUR + 30 * SECOND, DAY + 9 * HOUR, "Europe/Oslo")[0].begins == DAY + 8 * HOUR
    assert Windows.slower("1.5x 06:00 for 1h").each[0].times == Fraction(3, 2)
    assert not Windows.down("never") and str(Windows.down("06:00 for 1s")) == "06:00 for 1s"


def test_outages_that_overlap_are_one_and_the_slowest_counts() -> None:
    plan = vg.Plan(
        origin={
            "down": ["2026-03-17 01:00 for 1h", "2026-03-17 01:30 for 1h", "2026-03-17 05:00 for 1s"],
            "slower": ["2x 2026-03-17 01:00 for 2h", "3x 2026-03-17 02:00 for 30m"],
        }
    )
    (served,) = origins_of(trace(), plan, assume(trace(), plan)).each
    assert [(begins - DAY, ends - DAY) for begins, ends in served.down] == [
        (HOUR, HOUR * 5 // 2),
        (5 * HOUR, 5 * HOUR + SECOND),
    ]
    hours = [(HOUR, 2), (2 * HOUR, 3), (HOUR * 5 // 2, 2), (3 * HOUR, 1)]
    assert served.paces == tuple(Pace(DAY + begins, times, 1) for begins, times in hours)


@pytest.mark.parametrize(
    ("stated", "says"),
    [
        ({"at_once": 0}, "at_once: 0 is not a number of calls"),
        ({"at_once": 2.5}, "at_once: 2.5 is not a number of calls"),
        ({"down": "at noon"}, r"down: 'at noon' is no span of time; write \"2026-03-17 09:00 for 60s\""),
        ({"down": "3x 09:00 for 60s"}, "is no span of time"),
        ({"down": "09:00 for 0s"}, "takes no time"),
        ({"down": "25:00 for 1s"}, "is no span of time"),
        ({"slower": "09:00 for 60s"}, "is no span of time"),
        ({"slower": "0.5x 09:00 for 60s"}, "is not from 1 to 1,000"),
        ({"slower": "3x 09:00 for 60"}, "no unit|unit"),
        ({"fails_after": "0s"}, "a call that fails takes some time"),
        ({"give_up": 5}, "give_up: 5 has no unit"),
        ({"zone": "Nowhere"}, "is not a time zone"),
        ({"places": 5}, "places"),
        ({"lookups": ["a"]}, "this origin answers all look-ups"),
    ],
)
def test_what_an_origin_cannot_be_is_said(stated: dict[str, object], says: str) -> None:
    with pytest.raises(vg.RulesError, match=says):
        vg.Plan(origin=stated)


def test_a_look_up_has_one_origin_and_problems_name_their_lines(tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(
        PLAN + '[origin.other]\nlookups = ["chart"]\n[origin.none]\nat_once = 5\n[origin.wrong]\nat_once = "x"\n'
    )
    with pytest.raises(vg.PlanError) as raised:
        vg.read_plan(tmp_path / "plan.toml")
    said = [problem.removeprefix(f"{tmp_path}/plan.toml, ") for problem in raised.value.problems]
    assert said[0].startswith("line 13") and "has the origin 'archive' already" in said[0]
    assert said[1].startswith("line 14") and "lookups is missing" in said[1]
    assert said[2].startswith("line 17") and "is not a number of calls" in said[2]


def test_candidates_are_replayed_with_the_origin_of_the_plan() -> None:
    plan = vg.Plan(vg.Rules(), candidates={"other": vg.Rules(max_entries=1)}, origin={"at_once": 1})
    assert plan.candidates["other"].origin == vg.Origin()
    reads = vg.read_trace({"at": [0, 0, 0], "key": list("abc"), "cost": [SECOND] * 3})
    results = vg.compare(reads, plan)
    assert {results[name].waiting_peak for name in ("today", "other", "no cache")} == {2}
    assert results["no limits"].waiting_peak == 0


def test_a_plan_shows_its_origins_and_names_only_look_ups_that_there_are() -> None:
    plan = vg.Plan(origin={"at_once": 5}, origins={"archive": {"lookups": ["map"], "at_once": 2}})
    assert "1 origin, Origin(at_once=5)" in repr(plan)
    shown = plan._repr_html_()
    assert "origin: " in shown and "archive" in shown
    with pytest.raises(vg.RulesError, match="'map' is unknown; known are chart, berth"):
        vg.replay(trace(), plan)
