"""Ctrl-C and kills at random moments: every verb ends at once without a traceback, and no result is lost."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import VESTIGO
from tests.cli.test_strict_json import CALLS
from tests.slowness import seconds
from tests.trials.cases import cases, draws

SECONDS_TO_END = 2
PLAN = """
[rules]
max_entries = 40
[vary]
"rules.max_entries" = [10, 20, 30, 50, 70, 90, 120, 150]
"rules.absolute" = ["never", "5s", "50s"]
"rules.eviction" = ["lru", "sieve", "slru"]
"""
BEGUN = "import os, signal, sys\nsignal.signal(signal.SIGINT, signal.default_int_handler)\nopen('begun', 'w').close()\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    vg.write_trace(vg.synth(60_000, keys=3000, seed=4), tmp_path / "t.parquet")
    (tmp_path / "swept.toml").write_text(PLAN)
    scrapes = [{"at": at, "hits": 900 * at, "misses": 500 * at} for at in range(2)]
    (tmp_path / "c.json").write_text(json.dumps(scrapes))
    (tmp_path / "cache.py").write_text(
        "import json, sys\nfor line in sys.stdin:\n    asked = json.loads(line)\n"
        "    value = {'value': asked['params'].get('value'), 'taken': True}\n"
        "    print(json.dumps({'jsonrpc': '2.0', 'id': asked['id'], 'result': value}), flush=True)\n"
    )
    (tmp_path / "sitecustomize.py").write_text(BEGUN)  # before it, Python itself is not ready for Ctrl-C
    return tmp_path


def started(folder: Path, *words: str) -> "subprocess.Popen[bytes]":
    (folder / "begun").unlink(missing_ok=True)
    process = subprocess.Popen(
        [*VESTIGO, *words],
        cwd=folder,
        env={**os.environ, "PYTHONPATH": str(folder)},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
    )
    while not (folder / "begun").exists() and process.poll() is None:
        time.sleep(0.001)
    time.sleep(0.03)  # Python's own start, after which the program's first line runs
    return process


def calls() -> dict[str, list[str]]:
    given = {name: [name, "t.parquet", *words] for name, words in CALLS.items()}
    given["drive"] = ["drive", "t.parquet", "--rules", "max_entries=1", "--command", f"{sys.executable} cache.py"]
    given["why"] = ["why", "t.parquet", "--rules", "max_entries=1", "--key", "k1"]
    return given | {
        "demo": ["demo"],
        "schema": ["schema"],
        "explore": ["explore", "t.parquet", "--rules", "max_entries=5"],
        "listen": ["listen", "recording", "--address", "127.0.0.1:0"],
    }


@pytest.mark.clock
def test_ctrl_c_at_any_moment_ends_every_verb(folder: Path) -> None:
    at_random, given = draws(), calls()
    serving = {"explore", "listen"}
    for number in range(cases(13, 0.02, 400)):
        verb = sorted(given)[number % len(given)]
        process = started(folder, *given[verb])
        time.sleep(at_random.random() ** 2 * (3 if verb in serving | {"demo", "report"} else 1.2))
        begun = time.monotonic()
        process.send_signal(signal.SIGINT)
        _, said = process.communicate(timeout=60)
        took = time.monotonic() - begun
        what = f"{verb}, case {number}: {process.returncode}, {took:.2f} s: {said.decode()}"
        if process.returncode not in (130, -signal.SIGINT):  # done before, or a server, which Ctrl-C ends normally
            assert process.returncode in (0, 1), what
        assert b"Traceback" not in said, what
        assert b"Error" not in said, what
        assert took < seconds(SECONDS_TO_END), what
        assert not [path for path in folder.iterdir() if path.name.startswith(".")], what


@pytest.mark.clock
@pytest.mark.parametrize("verb", ["choose"])
def test_a_kill_at_any_moment_loses_no_result(folder: Path, verb: str) -> None:
    at_random = draws()
    words = [verb, "t.parquet", "--plan", "swept.toml", "--results", "r", "--json"]

    def said() -> str:
        done = subprocess.run([*VESTIGO, *words], cwd=folder, capture_output=True, text=True, timeout=120)
        assert done.returncode == 0, done.stderr
        told = json.loads(done.stdout)
        for name in ("replayed", "reused"):
            told.pop(name, None)
        return json.dumps(told)

    whole = said()
    for _ in range(cases(1, 0.004, 20)):
        (folder / "r").unlink()
        for _ in range(3):
            process = started(folder, *words)
            time.sleep(at_random.random() * 1.5)
            process.kill()
            process.communicate()
        assert said() == whole
