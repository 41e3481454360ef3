"""What a verb prints for machines is JSON as the standard has it: no NaN, no Infinity."""

import inspect
import json
import math
import sys
from pathlib import Path
from typing import Any

import pytest

import vestigo as vg
from tests.cli.calling import run
from vestigo.cli import screen
from vestigo.cli.verbs import verbs

TRACES: dict[str, dict[str, list[Any]]] = {
    "reads.parquet": {"at": list(range(0, 3000, 10)), "key": [n * n % 7 for n in range(300)]},
    "one.parquet": {"at": [5], "key": ["a"]},
    "at_once.parquet": {"at": [5] * 4, "key": ["a"] * 4, "cost": [0] * 4, "size": [0] * 4},
    "writes.parquet": {"at": [5, 6], "key": ["a", "a"], "op": ["write", "write"]},
}
CALLS = {
    "survey": [],
    "replay": ["--rules", "max_entries=1", "--rules", "on_write=drop"],
    "curve": [],
    "choose": ["--plan", "swept.toml", "--no-results"],
    "why": ["--rules", "max_entries=1", "--key", "1"],
    "check": ["--rules", "absolute=1ns"],
    "rehearse": ["--rules", "absolute=1ns"],
    "report": ["--rules", "max_entries=1", "--write", "r.html", "--no-results"],
    "drive": ["--rules", "max_entries=1", "--command", f"{sys.executable} cache.py"],
    "confirm": ["--rules", "max_entries=1", "--counters", "c.json"],
    "convert": ["c.parquet"],
}
ELSEWHERE = {"demo", "explore", "listen"}
"""Verbs whose JSON is read by tests of their own."""


def refuse(constant: str) -> None:
    raise AssertionError(f"{constant} is no JSON")


def test_every_verb_with_json_is_tried() -> None:
    has_json = {name for name, verb in verbs().items() if "as_json" in inspect.signature(verb.run).parameters}
    assert has_json == {*CALLS, *ELSEWHERE}


@pytest.mark.parametrize("trace", TRACES)
@pytest.mark.parametrize("verb", CALLS)
def test_json_is_strict(tmp_path: Path, verb: str, trace: str) -> None:
    vg.write_trace(vg.read_trace(TRACES[trace]), tmp_path / trace)
    (tmp_path / "swept.toml").write_text('[rules]\nmax_entries = 1\n[vary]\n"rules.max_entries" = [1, 2, "no limit"]\n')
    (tmp_path / "c.json").write_text(
        json.dumps([{"at": at, "hits": 9 * at, "misses": 5 * at, "entries": 0, "bytes": 0} for at in range(2)])
    )
    (tmp_path / "cache.py").write_text(
        "import json, sys\n"
        "for line in sys.stdin:\n"
        "    asked = json.loads(line)\n"
        "    print(json.dumps({'jsonrpc': '2.0', 'id': asked['id'], 'result': {}}), flush=True)\n"
    )
    done = run(verb, trace, *CALLS[verb], "--json", cwd=tmp_path)
    assert done.returncode in (0, 1, 2), done.stderr
    if done.returncode == 2:
        assert trace != "reads.parquet", done.stderr
        assert done.stdout == ""
        assert done.stderr.startswith("vestigo: ")
    else:
        json.loads(done.stdout, parse_constant=refuse)
    assert "Traceback" not in done.stderr


def test_numbers_that_json_does_not_have_are_null(capsys: pytest.CaptureFixture[str]) -> None:
    screen.show_json({"a": [math.nan, (math.inf, 1.5)], "b": {"c": -math.inf}, "d": "NaN"})
    assert json.loads(capsys.readouterr().out) == {"a": [None, [None, 1.5]], "b": {"c": None}, "d": "NaN"}
