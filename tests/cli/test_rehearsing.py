"""``vestigo rehearse`` as a user types it."""

import json
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import run

PLAN = """\
[rules]
absolute = "2s"
[origin]
at_once = 2
[candidate.longer]
rules.absolute = "10s"
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    trace = vg.synth(reads=6000, keys=100, seed=2, rate=50, cost="50ms", nodes=2)
    vg.write_trace(trace, tmp_path / "reads.parquet")
    (tmp_path / "plan.toml").write_text(PLAN)
    return tmp_path


def test_it_says_how_each_moment_goes_and_draws_the_worst(folder: Path) -> None:
    done = run("rehearse", "reads.parquet", "--slow", "100ms", "--figure", "worst.png", cwd=folder)
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("With today's settings ")
    for words in ("a restart of all 2 nodes", "a clear of everything", "60 s without the origin", "longer"):
        assert words in done.stdout
    assert "the worst moment over time" in done.stderr
    assert (folder / "worst.png").stat().st_size > 10_000


def test_single_moments_at_a_time_as_json(folder: Path) -> None:
    asked = ["--moment", "clear", "--moment", "readers", "--at", "60s", "--json"]
    told = json.loads(run("rehearse", "reads.parquet", *asked, cwd=folder).stdout)
    assert list(told["moments"]) == ["clear", "readers"] and told["places"] == 2
    assert {(row["settings"], row["moment"]) for row in told["rows"]} == {
        (settings, moment) for settings in ("today", "longer") for moment in ("", "clear", "readers")
    }
    again = vg.rehearse(
        vg.read_trace(folder / "reads.parquet"), vg.read_plan(folder / "plan.toml"), moments=["clear"], at="60s"
    )
    row = next(one for one in told["rows"] if (one["settings"], one["moment"]) == ("today", "clear"))
    assert row == again.row("clear").to_dict()


def test_other_plans_are_rehearsed_beside_it(folder: Path) -> None:
    picked = ["[trace]", 'warm_up = "5s"', "[rules]", 'absolute = "30s"', "[candidate.x]", 'rules.absolute = "1s"']
    (folder / "picked.toml").write_text("\n".join(picked))
    done = run("rehearse", "reads.parquet", "--beside", "picked.toml", "--json", cwd=folder)
    rows = json.loads(done.stdout)["rows"]
    assert {row["settings"] for row in rows} == {"today", "longer", "picked"}
    plan = vg.read_plan(folder / "plan.toml").beside({"picked": vg.Plan(vg.Rules(absolute="30s"))})
    again = vg.rehearse(vg.read_trace(folder / "reads.parquet"), plan)
    assert [row for row in rows if row["settings"] == "picked"] == [
        row.to_dict() for row in again.rows if row.settings == "picked"
    ]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--beside", "nothing.toml"], "nothing.toml: cannot be read"),
        (["--beside", "plan.toml", "--beside", "./plan.toml"], "two files have the same name"),
        (["--moment", "flood"], "moment 'flood' is unknown"),
        (["--at", "90h"], "at: "),
        (["--slow", "1"], "slow: "),
        (["--rules", "absolute=5"], "absolute"),
    ],
)
def test_what_means_nothing_ends_in_a_sentence(folder: Path, words: list[str], says: str) -> None:
    done = run("rehearse", "reads.parquet", *words, cwd=folder)
    assert done.returncode == 2 and says in done.stderr and "Traceback" not in done.stderr
    assert done.stdout == ""


def test_without_settings_it_asks_for_them(tmp_path: Path) -> None:
    vg.write_trace(vg.synth(reads=50, keys=5, seed=1), tmp_path / "reads.parquet")
    done = run("rehearse", "reads.parquet", cwd=tmp_path)
    assert done.returncode == 2 and "no settings" in done.stderr
