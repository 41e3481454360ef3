"""Where results and messages go: full, closed, or read no further. Nothing of that gives a traceback."""

import subprocess
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import VESTIGO, run
from vestigo.rules.plan_text import toml_text

UNSEEN = "\u202egnp\u2066x\u200bz\ufeff"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    vg.write_trace(vg.synth(2000, keys=50), tmp_path / "t.parquet")
    return tmp_path


def shell(folder: Path, words: str) -> tuple[int, str, str]:
    line = f"exec {VESTIGO[0]} {words}"
    done = subprocess.run(["bash", "-c", line], cwd=folder, capture_output=True, text=True, timeout=60)
    return done.returncode, done.stdout, done.stderr


@pytest.mark.parametrize("verb", ["survey t.parquet", "survey t.parquet --json", "--help", "curve t.parquet", "schema"])
def test_a_full_output_is_one_sentence(folder: Path, verb: str) -> None:
    said = "vestigo: the output cannot be written: No space left on device\n"
    assert shell(folder, f"{verb} > /dev/full") == (2, "", said)


def test_a_closed_output_is_one_sentence(folder: Path) -> None:
    status, _, said = shell(folder, "survey t.parquet >&-")
    assert (status, said) == (
        2,
        "vestigo: standard output is closed, so there is nowhere to print; send it to a file, or to /dev/null\n",
    )


def test_a_reader_that_has_enough_is_no_error(folder: Path) -> None:
    line = f"{VESTIGO[0]} survey t.parquet --json | head -n 1; echo ${{PIPESTATUS[0]}}"
    done = subprocess.run(["bash", "-c", line], cwd=folder, capture_output=True, text=True, timeout=60)
    assert (done.stdout, done.stderr) == ("{\n0\n", "")


@pytest.mark.parametrize("closed", ["2>&-", "2> /dev/full"])
def test_messages_that_cannot_be_written_cost_no_result(folder: Path, closed: str) -> None:
    (folder / "plan.toml").write_text("[rules]\nmax_entries = 5\n")
    status, out, said = shell(folder, f"replay t.parquet {closed}")
    assert (status, said) == (0, "")
    assert out == run("replay", "t.parquet", cwd=folder).stdout
    assert shell(folder, f"replay nowhere.csv {closed}") == (2, "", "")


def test_an_empty_file_that_a_recording_left_behind_is_passed_over(tmp_path: Path) -> None:
    folder = tmp_path / "recording"
    folder.mkdir()
    (folder / "1-1-0000.jsonl").write_text('{"at": 5, "key": "a"}\n')
    (folder / "1-1-0001.jsonl").touch()
    done = run("survey", "recording", cwd=tmp_path)
    assert done.returncode == 0
    assert "recording/1-1-0001.jsonl: is empty and left out" in done.stderr + done.stdout
    (folder / "1-1-0000.jsonl").unlink()
    done = run("survey", "recording", cwd=tmp_path)
    assert (done.returncode, done.stderr) == (2, "vestigo: recording/1-1-0001.jsonl: is empty\n")


def test_what_a_spreadsheet_would_take_for_a_formula_is_guarded_on_demand(tmp_path: Path) -> None:
    keys = ["=cmd()", "+1", "-1", "@x", "\tx", "plain", "a=b", "'quoted"]
    vg.write_trace({"at": range(8), "key": keys, "lookup": ["=l"] * 8}, tmp_path / "t.arrow")
    assert run("convert", "t.arrow", "as-it-is.csv", cwd=tmp_path).returncode == 0
    assert vg.read_trace(tmp_path / "as-it-is.csv").keys[:] == keys
    assert run("convert", "t.arrow", "guarded.csv", "--for-spreadsheets", cwd=tmp_path).returncode == 0
    guarded = vg.read_trace(tmp_path / "guarded.csv")
    assert list(guarded.keys[:]) == ["'=cmd()", "'+1", "'-1", "'@x", "'\tx", "plain", "a=b", "'quoted"]
    assert guarded.lookups == ("'=l",)
    done = run("convert", "t.arrow", "t.parquet", "--for-spreadsheets", cwd=tmp_path)
    assert (done.returncode, done.stderr) == (
        2,
        "vestigo: t.parquet: is not for spreadsheets; name a .csv or .tsv file\n",
    )
    assert "--for-spreadsheets" in run("convert", "--help", cwd=tmp_path).stdout


def test_characters_that_are_not_seen_are_shown_as_escapes(tmp_path: Path) -> None:
    """In every verb, the lines to copy and the plan that is written included; these are accepted as they stand."""
    reads = range(3000)
    vg.write_trace(
        {
            "at": [number * 10**9 for number in reads],
            "key": [f"k{UNSEEN}{number * number % 90}" for number in reads],
            "lookup": [f"{('vessel', 'berth')[number % 2]}{UNSEEN}" for number in reads],
            "node": [f"n{UNSEEN}{number % 3}" for number in reads],
            "cost": [10**7] * 3000,
        },
        tmp_path / "t.parquet",
    )
    lookup = f"vessel{UNSEEN}"
    plan = {
        "rules": {"max_entries": 50, "absolute": "5s"},
        "lookup": {lookup: {"max_entries": 20}},
        "candidate": {f"c{UNSEEN}": {"rules": {"max_entries": 5}}},
    }
    (tmp_path / "plan.toml").write_text(toml_text(plan), encoding="utf-8")
    key = ["--lookup", lookup, "--key", f"k{UNSEEN}4"]
    more = {"choose": ["--write", "taken.toml", "--no-results"], "report": ["--write", "r.html", "--no-results"]}
    for verb in ("survey", "replay", "check", "why", "curve", "choose", "report"):
        for words in ([], key) if verb == "why" else ([],):
            done = run(verb, "t.parquet", *words, *more.get(verb, []), cwd=tmp_path)
            assert done.returncode in (0, 1), done.stderr
            assert not set(UNSEEN) - set("gnpxz") & set(done.stdout + done.stderr), verb
    written = [(tmp_path / name).read_text(encoding="utf-8") for name in ("taken.toml", "r.html")]
    assert not set(UNSEEN) - set("gnpxz") & set("".join(written))
    assert "\\u202e" in written[0]
    assert lookup in vg.read_plan(tmp_path / "taken.toml").lookups


def test_an_early_ctrl_c_leaves_no_traceback(folder: Path) -> None:
    """As soon as the program's own first line runs."""
    (folder / "sitecustomize.py").write_text(
        "import os, signal, sys\n"
        "class Finder:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name == os.environ['AT']: os.kill(os.getpid(), signal.SIGINT)\n"
        "sys.meta_path.insert(0, Finder())\n"
    )
    for module in ("vestigo.cli.app", "typer", "numpy", "pyarrow", "vestigo.trace.reading.read"):
        words = ["env", "--default-signal=INT", f"PYTHONPATH={folder}", f"AT={module}", *VESTIGO, "survey", "t.parquet"]
        done = subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=60)
        assert (module, done.returncode, done.stderr) == (module, 130, "vestigo: stopped\n")


def test_nothing_heavy_is_loaded_before_the_program_can_be_stopped() -> None:
    words = "import sys; before = set(sys.modules); import vestigo.cli.start; print(*set(sys.modules) - before)"
    done = subprocess.run([str(Path(VESTIGO[0]).parent / "python"), "-c", words], capture_output=True, text=True)
    loaded = {name.partition(".")[0] for name in done.stdout.split()}
    assert not loaded & {"numpy", "pyarrow", "pandas", "typer", "rich", "lazy_loader", "dataclasses", "typing"}
