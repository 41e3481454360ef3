"""``vestigo check NEW --before OLD`` as a user types it."""

import json
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import run

PLAN = """\
[rules]
max_entries = 40
[aim]
most = "hit_rate"
memory_peak = "<= 400 KiB"
[vary]
each.max_entries = [20, 40, 80, 110]
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, keys in {"old": 150, "new": 600}.items():
        vg.write_trace(vg.synth(reads=6000, keys=keys, seed=2, rate=5, nodes=2), tmp_path / f"{name}.parquet")
    (tmp_path / "plan.toml").write_text(PLAN)
    return tmp_path


def test_it_says_what_is_different_and_what_would_be_best_now(folder: Path) -> None:
    done = run(
        "check", "new.parquet", "--before", "old.parquet", "--write", "best.toml", "--figure", "d.png", cwd=folder
    )
    assert done.returncode == 1, done.stderr
    assert done.stdout.startswith("On new.parquet these settings give hit rate ")
    assert "reads: 4.00 times as many keys" in done.stdout and "The best settings for new.parquet:" in done.stdout
    assert "best.toml: the best settings for new.parquet" in done.stderr
    assert (folder / "d.png").stat().st_size > 10_000
    with (folder / "best.toml").open("a") as file:
        file.write(PLAN[PLAN.index("[vary]") :])
    again = run("check", "new.parquet", "--before", "new.parquet", "--plan", "best.toml", cwd=folder)
    assert again.returncode == 0, again.stdout
    assert "Nothing better was found for it." in again.stdout


def test_it_ends_with_status_0_where_so_much_is_tolerated(folder: Path) -> None:
    done = run("check", "new.parquet", "--before", "old.parquet", "--tolerate", "99%", "--json", cwd=folder)
    told = json.loads(done.stdout)
    assert done.returncode == 0 and 0 < told["behind"] < 0.99
    found = vg.drift(folder / "old.parquet", folder / "new.parquet", folder / "plan.toml")
    assert told == json.loads(json.dumps(found.to_dict()))


def test_wrong_input_is_told(folder: Path) -> None:
    done = run("check", "new.parquet", "--before", "older.parquet", cwd=folder)
    assert done.returncode == 2 and "older.parquet" in done.stderr
    done = run("check", "new.parquet", "--figure", "d.png", cwd=folder)
    assert done.returncode == 2 and "name an earlier recording with --before FILE" in done.stderr


def test_a_report_has_a_section_on_it(folder: Path) -> None:
    asked = ["--plan", "plan.toml", "--write", "r.html", "--no-results"]
    assert run("report", "new.parquet", *asked, cwd=folder).returncode == 0
    assert "What is different from before" not in (folder / "r.html").read_text()
    assert run("report", "new.parquet", "--before", "old.parquet", *asked, cwd=folder).returncode == 0
    page = (folder / "r.html").read_text()
    assert page.count("What is different from before") == 2 and "4.00 times as many keys" in page
    assert "vestigo check new.parquet --plan plan.toml --before old.parquet" in page
