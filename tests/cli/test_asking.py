"""``why``, ``check``, ``replay --reads`` and ``--by key``, as a user calls them."""

import json
import shlex
from dataclasses import replace
from pathlib import Path

import pyarrow.parquet as pq
import pytest

from tests.cli.calling import run
from tests.demo.tended import tended
from vestigo import read_plan, replay
from vestigo.demo.files import write_demo

HOSTILE = "=1+1\x1b[31m'a b"


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo")
    write_demo(folder)
    return folder


@pytest.fixture
def hostile(tmp_path: Path) -> Path:
    rows = [{"at": at * 10**9, "key": HOSTILE if at % 2 else "b", "cost": 10**9} for at in range(40)]
    (tmp_path / "t.jsonl").write_text("\n".join(map(json.dumps, rows)))
    return tmp_path


def test_why_without_a_key_names_the_worst_ones_and_what_to_type_next(demo: Path) -> None:
    done = run("why", "--plan", "plan.toml", cwd=demo)
    assert done.returncode == 0, done.stderr
    assert "most origin time" in done.stdout and "most stale hits" in done.stdout
    commands = [line.strip() for line in done.stdout.splitlines() if line.startswith("    vestigo why")]
    assert len(commands) == 10
    again = run(*shlex.split(commands[0])[1:], cwd=demo)
    assert again.returncode == 0 and again.stdout.startswith("weather -4/-4: 4,459 reads")
    assert max(map(len, [*done.stdout.splitlines(), *again.stdout.splitlines()])) <= 100


def test_what_why_advises_is_accepted_and_gives_what_was_said(demo: Path) -> None:
    done = run("why", "--lookup", "notice", "--key", "at A1", "--json", cwd=demo)
    (first, *_) = json.loads(done.stdout)["advice"]
    shown = run("why", "--lookup", "notice", "--key", "at A1", cwd=demo).stdout
    command = next(line.strip() for line in shown.splitlines() if line.startswith("    vestigo replay"))
    then = json.loads(run(*shlex.split(command)[1:], "--json", cwd=demo).stdout)["today"]
    now = replay(demo / "skerrow-quay.parquet", read_plan(demo / "plan.toml")).lookups["notice"]
    assert then["lookups"]["notice"]["hits"] - now.hits == first["lookup_hits"]


def test_why_explains_one_read_and_draws_the_story(demo: Path, tmp_path: Path) -> None:
    figure = tmp_path / "story.png"
    words = ("--lookup", "berth", "--key", "A2", "--node", "quay-4", "--at", "2026-03-17 00:35:17.837")
    done = run("why", *words, "--figure", str(figure), cwd=demo)
    assert "changed at 00:27:52.530 by a write on quay-3; `on_write` acts" in done.stdout
    assert figure.stat().st_size > 10_000


def test_replay_writes_every_read_and_shows_the_worst_keys(demo: Path, tmp_path: Path) -> None:
    done = run("replay", "--by", "key", "--reads", str(tmp_path / "reads.parquet"), cwd=demo)
    assert "most idle memory" in done.stdout and "notice at A1" in done.stdout
    assert f"{tmp_path}/reads.parquet: 153,508 reads under today's settings" in done.stderr
    table = pq.read_table(tmp_path / "reads.parquet").to_pandas()
    outcome = replay(demo / "skerrow-quay.parquet", read_plan(demo / "plan.toml"))
    assert (table[table.counted].answer == "hit").sum() == outcome.hits
    assert max(map(len, done.stdout.splitlines())) <= 100
    worst = json.loads(run("replay", "--by", "key", "--lookup", "vessel", "--json", cwd=demo).stdout)["worst_keys"]
    assert {row["lookup"] for row in worst["misses"]} == {"vessel"}


def test_check_finds_what_is_wrong_today_and_next_to_nothing_on_the_pick(demo: Path, tmp_path: Path) -> None:
    fixed = tmp_path / "fixed.toml"
    done = run("check", "--no-results", "--write", str(fixed), cwd=demo)
    assert done.returncode == 1  # a mistake costs more than 1 % of the aim
    for kind in ("nodes that do not hear of writes", "nulls not kept", "entries left when their key is written"):
        assert kind in done.stdout
    assert max(map(len, done.stdout.splitlines())) <= 100
    trace = demo / "skerrow-quay.parquet"
    assert replay(trace, fixed).fresh_hit_rate > replay(trace, read_plan(demo / "plan.toml")).fresh_hit_rate + 0.08
    plan = read_plan(demo / "plan.toml")
    replace(tended(plan), trace_path=trace).write(demo / "pick.toml")
    pick = run("check", "--plan", "pick.toml", "--no-results", "--json", cwd=demo)
    assert pick.returncode == 0
    assert all(one["gain"] == 0 for one in json.loads(pick.stdout)["mistakes"])


def test_check_holds_a_plan_to_a_share_of_the_aim(demo: Path) -> None:
    assert run("check", "--tolerate", "20%", cwd=demo).returncode == 0
    assert (demo / "plan.results").exists()
    done = run("check", "--tolerate", "much", cwd=demo)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.startswith("vestigo: --tolerate: 'much' is not a share")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["why", "--key", "QVA585"], "the trace has no key 'QVA585'; the closest are 'QVJ585', 'QVA586'"),
        (
            ["why", "--key", "A1", "--at", "1999-01-01 00:00:00"],
            "at: 1999-01-01 00:00:00.000 is outside the trace, which goes from",
        ),
        (["why", "--at", "2026-03-17"], "--at is about one key; name it with --key"),
        (["why", "--lookup", "vessels"], "--lookup: 'vessels' is unknown; did you mean 'vessel'?"),
        (
            ["why", "--lookup", "berth", "--key", "A1", "--node", "quay-9"],
            "node 'quay-9' is unknown; did you mean 'quay-4'?",
        ),
        (
            ["replay", "--reads", "reads.xlsx"],
            "reads.xlsx: its ending does not say the format; known are .parquet, .arrow, .csv",
        ),
    ],
)
def test_what_is_not_there_is_said(demo: Path, words: list[str], says: str) -> None:
    done = run(*words, cwd=demo)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.startswith(f"vestigo: {says}")


def test_a_plan_without_rules_has_nothing_to_take_away(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("at,key\n1000000000,a\n2000000000,a\n")
    (tmp_path / "plan.toml").write_text("[trace]\npath = 't.csv'\n")
    done = run("check", cwd=tmp_path)
    assert done.returncode == 0
    assert "The plan states no rules, so there is nothing to take away." in done.stdout


def test_hostile_keys_are_harmless_in_stories_and_commands_and_can_be_typed(hostile: Path) -> None:
    done = run("why", "t.jsonl", "--rules", "max_entries=1", cwd=hostile)
    assert "\x1b" not in done.stdout
    assert r"--key $'=1+1\x1b[31m\'a b'" in done.stdout
    story = run("why", "t.jsonl", "--rules", "max_entries=1", "--key", HOSTILE, cwd=hostile)
    assert "\x1b" not in story.stdout and r"\x1b[31m'a b: 20 reads" in story.stdout
    assert r"evicted for b" in story.stdout
    other = run("why", "t.jsonl", "--rules", "max_entries=1", "--key", "b", cwd=hostile)
    assert "\x1b" not in other.stdout and r"evicted for =1+1\x1b[31m'a b" in other.stdout
    assert "\x1b" not in run("replay", "t.jsonl", "--rules", "max_entries=1", "--by", "key", cwd=hostile).stdout


def test_the_next_command_reads_the_trace_in_the_same_way(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("at,page,cost\n" + "".join(f"{at}000000000,p{at % 3},7\n" for at in range(30)))
    words = (
        "t.csv",
        "--rules",
        "max_entries=2",
        "--intake",
        "columns.key={page}",
        "--intake",
        "cost_unit=s",
        "--strict",
    )
    shown = run("why", *words, cwd=tmp_path).stdout
    command = shown[shown.index("    vestigo why") :].split("\n    vestigo")[0].replace("\\\n", " ")
    done = run(*shlex.split(command)[1:], cwd=tmp_path)
    assert (done.returncode, done.stdout.splitlines()[0][:20]) == (0, "reads p0: 10 reads, "), done.stderr
