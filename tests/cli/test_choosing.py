"""``vestigo sweep`` and ``vestigo choose`` as a user meets them."""

import json
import re
import signal
import subprocess
import time
from pathlib import Path

import pytest

from tests.cli.calling import VESTIGO, lines, run
from vestigo import read_plan, replay, synth, write_trace

PLAN = """
[trace]
path = "t.arrow"
[rules]
max_entries = 50
absolute = "1m"
[candidate.roomy]
rules.max_entries = 500
[vary]
"rules.max_entries" = [10, 100, 300]
"rules.absolute" = ["10s", "1m"]
[aim]
most = "fresh_hit_rate"
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    write_trace(synth(reads=20_000, keys=1000, skew=0.8, changes="10m", seed=1), tmp_path / "t.arrow")
    (tmp_path / "plan.toml").write_text(PLAN)
    return tmp_path


def test_a_sweep_shows_what_no_other_beats_and_goes_on_where_it_was(folder: Path) -> None:
    done = run("sweep", "--plan", "plan.toml", cwd=folder)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("8 candidates, ")
    assert "reused" not in done.stdout
    assert max(map(len, lines(done.stdout))) <= 100
    again = run("sweep", "--plan", "plan.toml", cwd=folder)
    assert "(11 results reused)" in " ".join(again.stdout.split())
    assert (folder / "plan.results").exists()
    told = json.loads(run("sweep", "--plan", "plan.toml", "--json", cwd=folder).stdout)
    assert told["candidates"]["max_entries=10, absolute=10s"]["changes"] == {
        "rules.max_entries": 10,
        "rules.absolute": "10s",
    }


def test_the_pick_is_written_as_a_plan_that_gives_what_was_promised(folder: Path) -> None:
    done = run("choose", "--plan", "plan.toml", "--write", "picked.toml", cwd=folder)
    assert done.returncode == 0
    assert done.stdout.startswith("Recommended: 'roomy'. Fresh hits ")
    told = json.loads(run("choose", "--plan", "plan.toml", "--json", cwd=folder).stdout)
    picked = read_plan(folder / "picked.toml")
    assert replay(synth(reads=20_000, keys=1000, skew=0.8, changes="10m", seed=1), picked).to_dict() == told["whole"]


@pytest.mark.parametrize(
    ("aim", "says"),
    [
        (
            'memory_peak = "<= 1 KiB"',
            "No candidate keeps the limits over the whole time. The closest is 'max_entries=10, absolute=10s'",
        ),
        (
            'hit_rate = ">= 90 %"',
            "No candidate keeps the limits over the whole time. The closest is 'roomy': hit rate ",
        ),
    ],
)
def test_limits_that_nothing_keeps_are_exit_status_1_with_the_closest(folder: Path, aim: str, says: str) -> None:
    (folder / "plan.toml").write_text(PLAN + aim + "\n")
    done = run("choose", "--plan", "plan.toml", "--write", "picked.toml", cwd=folder)
    assert done.returncode == 1
    assert says in done.stdout
    assert not (folder / "picked.toml").exists()


def test_a_sweep_without_end_is_not_begun_unasked(folder: Path) -> None:
    many = PLAN.replace("[10, 100, 300]", str(list(range(1, 1001)))).replace(
        '["10s", "1m"]', str([f"{s}s" for s in range(1, 1001)])
    )
    (folder / "plan.toml").write_text(many)
    done = run("sweep", "--plan", "plan.toml", cwd=folder)
    assert (done.returncode, done.stdout) == (2, "")
    said = re.fullmatch(
        r"vestigo: \[vary\] makes 1,000,000 candidates, which take about (.+); vary less, use --sample 10% "
        r"\((.+) to estimate them\), or add --yes to run it anyway\n",
        done.stderr,
    )
    assert said, done.stderr
    assert all(time.endswith((" min", " h", " d")) for time in said.groups())
    assert not (folder / "plan.results").exists()


@pytest.mark.parametrize("rows", ["", "1,a\n"])
def test_a_trace_of_nothing_or_of_one_read_is_no_trouble(folder: Path, rows: str) -> None:
    (folder / "t.csv").write_text(f"at,key\n{rows}")
    (folder / "plan.toml").write_text('[trace]\npath = "t.csv"\n[vary]\n"rules.max_entries" = [4, 5]\n')
    curve = run("curve", "--plan", "plan.toml", "--figure", "c.png", cwd=folder)
    sweep = run("sweep", "--plan", "plan.toml", cwd=folder)
    sampled = run("sweep", "--plan", "plan.toml", "--sample", "10%", cwd=folder)
    choose = run("choose", "--plan", "plan.toml", "--figure", "f.png", cwd=folder)
    assert [one.returncode for one in (curve, sweep, sampled)] == [0, 0, 0]
    assert sweep.stdout.startswith("3 candidates, 1 of them the best trade-offs")
    assert "3 were estimated from 10% of the keys, 1 of them replayed" in " ".join(sampled.stdout.split())
    if rows:
        assert choose.returncode == 0
        assert choose.stdout.startswith("Today's settings are the best")
    else:
        assert curve.stdout.startswith("The trace has no events, so there is no curve.")
        assert (choose.returncode, choose.stdout) == (2, "")
        assert choose.stderr == "vestigo: t.csv: holds no events, so there is nothing to choose by\n"


def test_what_is_to_be_known_of_the_results_is_said_whatever_is_asked_for(folder: Path) -> None:
    for number, words in enumerate((["sweep"], ["choose"], ["sweep", "--json"], ["choose", "--json"])):
        (folder / "plan.results").write_bytes(b"SQLite format 3\0" + b"nonsense" * 1000)
        done = run(*words, "--plan", "plan.toml", cwd=folder)
        said = done.stderr if "--json" in words else " ".join(done.stdout.split())
        assert f"plan.results: is damaged, so it is set aside as plan.results.damaged-{number + 1}" in said
        if "--json" in words:
            json.loads(done.stdout)


@pytest.mark.clock
@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_a_sweep_that_is_stopped_goes_on_where_it_was(folder: Path, how: signal.Signals) -> None:
    (folder / "plan.toml").write_text(PLAN.replace("[10, 100, 300]", str(list(range(1, 1000)))))
    going = subprocess.Popen(
        ["env", "--default-signal=INT", *VESTIGO, "sweep", "--plan", "plan.toml"],  # a job in the background ignores it
        cwd=folder,
        stderr=subprocess.PIPE,
        text=True,
    )
    results = folder / "plan.results"
    until = time.monotonic() + 60
    while not (results.exists() and results.stat().st_size > 100_000) and time.monotonic() < until:
        time.sleep(0.02)
    going.send_signal(how)
    _, said = going.communicate(timeout=60)
    if how == signal.SIGINT:
        assert going.returncode == 130
        assert said.startswith("vestigo: stopped after ") and "the same call goes on from there" in said
    (folder / "plan.toml").write_text(PLAN.replace("[10, 100, 300]", "[1, 2, 3]"))
    assert "reused" in run("sweep", "--plan", "plan.toml", cwd=folder).stdout
