"""The same options mean the same in every verb, and calls that mean nothing get one sentence."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.cli.calling import VESTIGO, lines, run, run_apart
from tests.slowness import seconds
from vestigo import __version__, read_plan, synth, write_trace
from vestigo.cli.stated import plan_for
from vestigo.cli.verbs import verbs

PLAN = """
[trace]
path = "t.arrow"
[rules]
max_entries = 50
[candidate.roomy]
rules.max_entries = 500
[vary]
"rules.absolute" = ["10s", "1m", "10m"]
[aim]
most = "hit_rate"
memory_peak = "<= 1 MiB"
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    write_trace(synth(reads=5_000, keys=500, skew=0.8, changes="10m", seed=1), tmp_path / "t.arrow")
    (tmp_path / "plan.toml").write_text(PLAN)
    return tmp_path


def test_a_first_replay_needs_no_plan_file(folder: Path) -> None:
    (folder / "plan.toml").unlink()
    done = run("replay", "t.arrow", "--rules", "max_entries=50", "--rules", "absolute=1m", "--json", cwd=folder)
    assert done.returncode == 0, done.stderr
    assert list(json.loads(done.stdout)) == ["no cache", "today", "no limits", "no limits, fresh"]
    done = run("replay", "t.arrow", cwd=folder)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr == (
        "vestigo: no settings: name a plan file (--plan FILE), or state rules, such as --rules max_entries=500\n"
    )
    assert run("survey", "t.arrow", cwd=folder).returncode == run("curve", "t.arrow", cwd=folder).returncode == 0


def test_plan_toml_is_taken_unasked_and_rules_go_over_it(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for words in (["replay"], ["survey"], ["curve"], ["choose"]):
        done = run(*words, "--json", cwd=folder)
        assert done.returncode == 0, (words, done.stderr)
        json.loads(done.stdout)
    monkeypatch.chdir(folder)
    stated = ["max_entries=60", "lookup.reads.nulls=keep 30s", "clear_at=[06:00, 18:00]", "zone=UTC", "drop_first=true"]
    plan = plan_for(None, stated)
    assert plan is not None
    assert plan.rules.to_dict() == {
        "max_entries": 60,
        "zone": "UTC",
        "drop_first": True,
        "clear_at": ["06:00", "18:00"],
    }
    assert str(plan.rules_for("reads").nulls) == "keep 30s"
    assert list(plan.candidates) == ["roomy"] and list(plan.vary) == ["rules.absolute"]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["replay", "--rules", "max_entries"], "--rules max_entries: is not RULE=VALUE; write max_entries=500"),
        (["replay", "--rules", "max_entries=0"], "--rules: max_entries: 0 could mean no entries or no limit"),
        (["replay", "--rules", "max_entres=5"], "--rules: rules.max_entres: 'max_entres' is unknown; did you mean"),
        (["replay", "--lookup", "tide"], "--lookup: 'tide' is unknown; known are reads"),
        (["survey", "--lookup", "tide"], "--lookup: 'tide' is unknown; known are reads"),
        (["curve", "--lookup", "tide"], "--lookup: 'tide' is unknown; known are reads"),
        (["convert", "t.arrow", "o.csv", "--lookup", "tide"], "--lookup: 'tide' is unknown"),
        (["convert", "t.arrow", "o.csv", "--sample", "0.1"], "sample: '0.1' is not a share"),
        (["curve", "--enough", "95"], "enough: '95' is not a share"),
        (["choose", "--rest", "0%"], "rest: '0%' is not between 0% and 100%"),
        (["choose", "--sample", "90%"], "sample: '90%' is not between 0% and 50%"),
        (["replay", "--nonsense"], "no such option: --nonsense; see vestigo replay --help"),
        (["replay", "--by", "hour"], "invalid value for '--by': 'hour' is not one of"),
        (["choose", "--seed", "x"], "invalid value for '--seed':"),
        (["fetch"], "no such command 'fetch'; see vestigo --help"),
        (["convert"], "missing argument 'IN'; see vestigo convert --help"),
    ],
)
def test_calls_that_mean_nothing_get_one_sentence(folder: Path, words: list[str], says: str) -> None:
    done = run(*words, cwd=folder)
    assert (done.returncode, done.stdout) == (2, "")
    assert len(lines(done.stderr)) == 1
    assert done.stderr.startswith("vestigo: ") and says in done.stderr
    assert not (folder / "o.csv").exists()


def test_one_look_up_is_shown_of_all_that_are_replayed(folder: Path) -> None:
    (folder / "two.csv").write_text("at,key,lookup\n" + "".join(f"{at},k{at % 3},{'ab'[at % 2]}\n" for at in range(40)))
    done = run("replay", "two.csv", "--rules", "max_entries=2", "--intake", "at_unit=s", "--lookup", "b", cwd=folder)
    assert [line for line in lines(done.stdout) if line.startswith("Look-up ")] == ["Look-up b"]
    assert "of 40 reads" in done.stdout


def test_every_verb_that_can_draw_draws_and_says_so(folder: Path) -> None:
    for words in (["replay"], ["survey"], ["curve"], ["choose"]):
        done = run(*words, "--figure", f"{words[0]}.png", cwd=folder)
        assert done.returncode == 0, done.stderr
        assert (folder / f"{words[0]}.png").read_bytes().startswith(b"\x89PNG")
        assert f"vestigo: {words[0]}.png: " in done.stderr


def test_figures_need_no_window(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a desktop, Matplotlib's own choice are windows, which belong to one thread."""
    monkeypatch.setenv("MPLBACKEND", "module://windows_of_a_desktop")
    done = run_apart("survey", "--figure", "s.png", cwd=folder)
    assert (done.returncode, done.stderr) == (0, "vestigo: s.png: a page of figures\n")


def test_what_is_written_can_be_replayed_alone_and_nothing_written_is_said(folder: Path) -> None:
    (folder / "deeper").mkdir()
    done = run("choose", "--write", "deeper/picked.toml", cwd=folder)
    assert done.stderr == "vestigo: deeper/picked.toml: the picked settings\n"
    picked = read_plan(folder / "deeper" / "picked.toml")
    assert picked.trace_path is not None and picked.trace_path.resolve() == (folder / "t.arrow").resolve()
    assert (picked.aim.best, [str(one) for one in picked.aim.each_limit]) == ("hit_rate", ["memory peak <= 1.00 MiB"])
    assert run("replay", "--plan", "picked.toml", cwd=folder / "deeper").returncode == 0
    (folder / "plan.toml").write_text(PLAN.replace("1 MiB", "1 B"))
    done = run("choose", "--write", "none.toml", cwd=folder)
    assert (done.returncode, (folder / "none.toml").exists()) == (1, False)
    assert "vestigo: none.toml: not written, because no candidate keeps the limits\n" in done.stderr


def test_the_intake_of_a_call_is_written_with_the_pick(folder: Path) -> None:
    (folder / "odd.csv").write_text("when,what\n" + "".join(f"{at},k{at % 7}\n" for at in range(1, 90)))
    words = ["choose", "odd.csv", "--intake", "columns.at={when}", "--intake", "columns.key={what}"]
    words += ["--intake", "at_unit=s", "--write", "picked.toml", "--no-results"]
    done = run(*words, cwd=folder)
    assert done.returncode in (0, 1), done.stderr
    plan = read_plan(folder / "picked.toml")
    assert dict(plan.intake.columns) == {"at": "{when}", "key": "{what}"} and plan.intake.at_unit == "s"
    assert run("replay", "--plan", "picked.toml", cwd=folder).returncode == 0


def test_results_are_kept_where_it_is_said_or_not_at_all(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert run("choose", "--front", "--no-results", cwd=folder).returncode == 0
    assert not (folder / "plan.results").exists()
    assert run("choose", "--front", "--results", "mine", cwd=folder).returncode == 0
    assert (folder / "mine").exists() and not (folder / "plan.results").exists()
    assert run("choose", "--front", "--results", "nowhere/mine", cwd=folder).returncode == 2
    usual = Path.open

    def refuse(path: Path, mode: str = "r", *more: object, **named: object) -> object:
        if path.name == "plan.results":
            raise PermissionError(13, "Permission denied")
        return usual(path, mode, *more, **named)  # type: ignore[call-overload]

    monkeypatch.setattr(Path, "open", refuse)
    done = run("choose", "--front", cwd=folder)
    assert done.returncode == 0
    assert done.stderr == (
        "vestigo: plan.results: results are not kept: Permission denied; --results FILE keeps them elsewhere\n"
    )


def test_the_version_and_completion_for_three_shells(tmp_path: Path) -> None:
    assert run("--version", cwd=tmp_path).stdout == f"vestigo {__version__}\n"
    for shell, says in (("bash", "complete -o default"), ("zsh", "#compdef vestigo"), ("fish", "complete --command")):
        apart = {**os.environ, "_TYPER_COMPLETE_TEST_DISABLE_SHELL_DETECTION": "1"}
        done = subprocess.run([*VESTIGO, "--show-completion", shell], capture_output=True, text=True, env=apart)
        assert says in done.stdout, shell


def test_the_schema_is_printed(tmp_path: Path) -> None:
    assert json.loads(run("schema", cwd=tmp_path).stdout)["title"] == "A plan of Vestigo"


def test_the_verbs_are_listed_in_the_order_of_the_work(tmp_path: Path) -> None:
    assert list(verbs()) == [
        "demo",
        "listen",
        "survey",
        "replay",
        "curve",
        "choose",
        "why",
        "check",
        "rehearse",
        "report",
        "explore",
        "drive",
        "confirm",
        "convert",
        "schema",
    ]
    done = run(cwd=tmp_path)
    assert done.returncode == 0 and done.stdout.count("vestigo ") == 5 and "vestigo survey reads.csv" in done.stdout


def test_an_interrupt_that_python_cannot_raise_prints_nothing() -> None:
    code = (
        "class Odd:\n def __del__(self): raise {}\nfrom vestigo.cli.stopping import end_soon_when_interrupted as end\n"
    )
    for raised, said in (("KeyboardInterrupt", b""), ("ValueError", b"Exception ignored in")):
        words = [sys.executable, "-c", f"{code.format(raised)}end()\nOdd()"]
        done = subprocess.run(words, capture_output=True, check=True, timeout=30)
        assert done.stderr.startswith(said) and bool(done.stderr) == bool(said)


def test_an_interrupt_that_python_cannot_raise_while_the_program_loads_ends_it() -> None:
    code = (
        "import sys\nfrom vestigo.cli import start\nsys.unraisablehook = start._unraisable\n"
        "class Odd:\n def __del__(self): raise {}\nOdd()\nprint('went on')"
    )
    for raised, ends in (
        ("KeyboardInterrupt", (130, b"", b"vestigo: stopped\n")),
        ("ValueError", (0, b"went on\n", b"Ex")),
    ):
        done = subprocess.run([sys.executable, "-c", code.format(raised)], capture_output=True, check=False, timeout=30)
        assert (done.returncode, done.stdout) == ends[:2] and done.stderr.startswith(ends[2])


@pytest.mark.parametrize("when", ["within an import", "never"])
def test_an_interrupt_that_comes_out_as_another_error_is_an_interrupt(tmp_path: Path, when: str) -> None:
    stop = "try:\n import os, signal\n os.kill(os.getpid(), signal.SIGINT)\nexcept KeyboardInterrupt:\n pass\n"
    (tmp_path / "pandas.py").write_text((stop if when != "never" else "") + "raise AttributeError('half a module')\n")
    (tmp_path / "t.csv").write_text("at,key\n1,a\n")
    environment = {**os.environ, "PYTHONPATH": str(tmp_path)}
    words = ["env", "--default-signal=INT", *VESTIGO, "replay", "t.csv", "--rules", "max_entries=1"]
    done = subprocess.run(words, cwd=tmp_path, env=environment, capture_output=True, timeout=30)
    if when == "never":
        assert done.returncode == 1 and b"half a module" in done.stderr
    else:
        assert (done.returncode, done.stderr) == (130, b"vestigo: stopped\n")


@pytest.mark.clock
@pytest.mark.parametrize("words", [["replay"], ["survey"], ["convert", "big.csv", "out.csv"], ["curve"]])
def test_ctrl_c_ends_everything_within_a_second(folder: Path, words: list[str]) -> None:
    big = folder / "big.csv"
    big.write_text("at,key\n" + "".join(f"{at},k{at * 7919 % 100_003}\n" for at in range(600_000)))
    (folder / "plan.toml").write_text(PLAN.replace("t.arrow", "big.csv"))
    going = subprocess.Popen(
        ["env", "--default-signal=INT", *VESTIGO, *words], cwd=folder, stderr=subprocess.PIPE, stdout=subprocess.PIPE
    )
    time.sleep(0.6)
    begun = time.monotonic()
    going.send_signal(signal.SIGINT)
    _, said = going.communicate(timeout=30)
    assert time.monotonic() - begun < seconds(1)
    assert (going.returncode, said) == (130, b"vestigo: stopped\n")
    assert not (folder / "out.csv").exists()
    assert not [path for path in folder.iterdir() if path.name.startswith(".")]
