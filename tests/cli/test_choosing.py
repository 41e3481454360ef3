"""``vestigo choose`` as a user meets it."""

import json
import re
import signal
import subprocess
import time
from pathlib import Path

import pytest

from tests.choosing.test_search import stop_in_round
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
    done = run("choose", "--front", "--plan", "plan.toml", cwd=folder)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("8 candidates, ")
    assert "reused" not in done.stdout
    assert max(map(len, lines(done.stdout))) <= 100
    again = run("choose", "--front", "--plan", "plan.toml", cwd=folder)
    assert "(11 results reused)" in " ".join(again.stdout.split())
    assert (folder / "plan.results").exists()
    told = json.loads(run("choose", "--front", "--plan", "plan.toml", "--json", cwd=folder).stdout)
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
    done = run("choose", "--front", "--plan", "plan.toml", cwd=folder)
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
    sweep = run("choose", "--front", "--plan", "plan.toml", cwd=folder)
    sampled = run("choose", "--front", "--plan", "plan.toml", "--sample", "10%", cwd=folder)
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
    for number, words in enumerate(
        (["choose", "--front"], ["choose"], ["choose", "--all", "--json"], ["choose", "--json"])
    ):
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
        [
            "env",
            "--default-signal=INT",
            *VESTIGO,
            "choose",
            "--plan",
            "plan.toml",
        ],  # a job in the background ignores it
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
    assert "reused" in run("choose", "--front", "--plan", "plan.toml", cwd=folder).stdout


def test_a_search_that_is_stopped_says_what_it_has_found(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (folder / "plan.toml").unlink()
    stop_in_round(3, monkeypatch)
    done = run("choose", "t.arrow", "--write", "picked.toml", cwd=folder)
    assert done.returncode == 130
    tried = re.search(r"Nothing else that was tried, in any of (\d+) combinations, gives more", done.stdout)
    assert tried is not None
    assert f"vestigo: stopped after {tried[1]} settings; give a file" in done.stderr
    assert (folder / "picked.toml").exists()


def test_a_search_that_is_stopped_prints_the_table_that_was_asked_for(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (folder / "plan.toml").unlink()
    stop_in_round(3, monkeypatch)
    done = run("choose", "t.arrow", "--front", cwd=folder)
    assert done.returncode == 130 and "of them the best trade-offs" in done.stdout


def test_a_file_alone_is_enough_to_find_settings(folder: Path) -> None:
    (folder / "plan.toml").unlink()
    done = run("choose", "t.arrow", "--write", "picked.toml", cwd=folder)
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("Found settings with fresh hits ") and "(no cache 0 %)" in done.stdout
    assert "Nothing else that was tried, in any of " in done.stdout
    assert len(lines(done.stdout)) <= 40 and max(map(len, lines(done.stdout))) <= 100
    told = json.loads(run("choose", "t.arrow", "--json", cwd=folder).stdout)
    assert told["proof"]["bound"] >= told["whole"]["fresh_hit_rate"]
    assert len(told["by_memory"]) > 3 and {one["kind"] for one in told["would_bring"]} >= {"to see writes"}
    picked = replay(folder / "t.arrow", folder / "picked.toml")
    assert picked.fresh_hit_rate == told["whole"]["fresh_hit_rate"]


SEARCHED = """
[trace]
path = "t.arrow"
[rules]
max_entries = 50
[vary]
"each.max_entries" = "any"
"each.absolute" = ["1m", "never"]
[aim]
most = "hit_rate"
memory_peak = "<= 500 KiB"
"""


def test_the_front_and_all_candidates_of_a_search_are_shown(folder: Path) -> None:
    (folder / "plan.toml").write_text(SEARCHED)
    front, every = (run("choose", option, cwd=folder) for option in ("--front", "--all"))
    assert (front.returncode, every.returncode) == (0, 0)
    assert "best trade-offs" in front.stdout
    assert any(line.startswith("found ") for line in lines(every.stdout))
    told = json.loads(run("choose", "--all", "--json", cwd=folder).stdout)
    assert told["candidates"]["found"]["memory_peak"] <= 500 * 1024
    assert told["tried"]["reads"] > 10
    drawn = run("choose", "--figure", "choice.png", cwd=folder)
    assert drawn.returncode == 0 and (folder / "choice.png").stat().st_size > 10_000


@pytest.mark.parametrize(
    ("plan", "words", "says"),
    [
        (SEARCHED, ["--sample", "10%"], "--sample: is for a list of values under [vary]"),
        (SEARCHED, ["--front", "--all"], "--front and --all: print different tables"),
        (SEARCHED, ["--seconds", "0"], "--seconds: 0 is no time to search in"),
        (PLAN, ["--seconds", "5"], "--seconds: ends a search"),
        (SEARCHED.replace("each.absolute", "rules.absolute"), [], "write each.absolute"),
        (SEARCHED.replace('"any"', '"all"'), [], 'is not a list of values; write [250, 500], for example, or "any"'),
    ],
)
def test_what_does_not_go_together_is_refused(folder: Path, plan: str, words: list[str], says: str) -> None:
    (folder / "plan.toml").write_text(plan)
    done = run("choose", *words, cwd=folder)
    assert (done.returncode, done.stdout) == (2, "")
    assert says in done.stderr


@pytest.mark.parametrize(
    "rows", ["1,a,x", "1,a,x\n1,a,x\n1,b,x", "1,a,'q'\n2,a,'q'\n3,b,a.b\n4,b,a.b\n5,c,=1+1\n6,c,=1+1"]
)
def test_a_search_takes_odd_traces(folder: Path, rows: str) -> None:
    (folder / "plan.toml").unlink()
    (folder / "odd.csv").write_text(f"at,key,lookup\n{rows}\n")
    done = run("choose", "odd.csv", "--rules", "absolute=1s", "--no-results", "--write", "odd.toml", cwd=folder)
    assert done.returncode in (0, 1) and done.stdout, done.stderr
    assert run("replay", "odd.csv", "--plan", "odd.toml", cwd=folder).returncode == 0
