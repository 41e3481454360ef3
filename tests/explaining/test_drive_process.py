"""A cache in another process is driven through JSON-RPC, and whatever it does wrong is one sentence with its event."""

import json
import re
import shlex
import shutil
import sys
import time
from pathlib import Path
from typing import Any

import psutil
import pytest

import vestigo as vg
from tests.slowness import seconds
from tests.telling import told
from vestigo import Driven, InputError, Plan, Pool, Rules, drive

CACHES = Path(__file__).parents[2] / "examples" / "caches"
TRACE = (
    "0 read a",
    "1 read a",
    "2 write a",
    "3 read b found=no",
    "4 read a",
    "5 clear",
    "6 read a force=yes",
    "7 restart",
)

DRIVER = """
import json, sys, time
held = {}
def read(p):
    name = p["lookup"], p["key"]
    if p.get("fresh"): held.pop(name, None)
    given = held.setdefault(name, p["value"])
    return {"value": given, "taken": given == p["value"]}
def answer(m):
    p, method = m["params"], m["method"]
    print(method, sorted(p), file=sys.stderr)
    result = None
    if method == "begin": result = BEGIN
    if method == "read": result = read(p)
    if method in ("write", "remove"): held.pop((p["lookup"], p["key"]), None)
    if method in ("clear", "restart"): held.clear()
    MORE
    return {"jsonrpc": "2.0", "id": m["id"], "result": result}
for line in sys.stdin:
    m = json.loads(line)
    print(json.dumps(list(map(answer, m))[::-1] if isinstance(m, list) else answer(m)), flush=True)
"""


def command(tmp_path: Path, more: str = "pass", begin: str = "{'batch': 3}") -> str:
    script = tmp_path / "driver.py"
    script.write_text(DRIVER.replace("MORE", more).replace("BEGIN", begin))
    return shlex.join([sys.executable, str(script)])


def driven_by(tmp_path: Path, more: str = "pass", begin: str = "{'batch': 3}", patience: str = "10s") -> Driven:
    rules = Rules(nulls="keep", on_write="drop")
    return drive(told(*TRACE), settings=rules, command=command(tmp_path, more, begin), patience=patience)


@pytest.mark.parametrize("begin", ["{'batch': 3}", "{'batch': 1}", "None", "{'name': 'mine'}", "{'batch': 1000}"])
def test_a_driver_answers_line_by_line_or_in_batches(tmp_path: Path, begin: str) -> None:
    driven = driven_by(tmp_path, begin=begin)
    assert driven.stopped is None
    assert (driven.driven.reads, driven.driven.hits, driven.differ) == (5, 1, 0)


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ("if m['id'] == 5: raise KeyError('x')", "the cache ended with status 1: KeyError: 'x'"),
        ("if m['id'] == 5: sys.exit(7)", "the cache ended with status 7"),
        ("if m['id'] == 5: time.sleep(60)", "the cache gave no answer in 3 s"),
        (
            "if m['id'] == 5: print('hello')",
            "the cache wrote 'hello' to standard output, which is no JSON; let it print",
        ),
        (
            "if m['id'] == 5: return {'id': 5, 'result': 1}",
            'the cache answered \'{"id": 5, "result": 1}\'; answer with',
        ),
        (
            "if m['id'] == 5: return {'jsonrpc': '2.0', 'id': 5, 'error': {'code': 1, 'message': 'no'}}",
            "an error: 'no'",
        ),
        ("if m['id'] == 5: return {'jsonrpc': '2.0', 'id': 5}", "the cache's answer has neither result nor error"),
        ("if m['id'] == 5: result = 'x'", 'the cache answered \'x\'; answer {"value": NUMBER, "taken": true} or false'),
        ("if m['id'] == 5: result = {'value': True}", 'answer {"value": NUMBER'),
        ("if m['id'] == 5: result = {'value': 99}", "the cache gave value 99, which was never offered for this key"),
        ("if m['id'] == 5: result = {'value': 3}", "the cache gave value 3, which was never offered for this key"),
        ("if m['id'] == 5: result = {'value': 4, 'taken': False}", "and says that it did not take it"),
    ],
)
@pytest.mark.parametrize("batch", [1, 3])
def test_what_a_driver_does_wrong_is_said_with_the_event(tmp_path: Path, more: str, said: str, batch: int) -> None:
    driven = driven_by(tmp_path, more, f"{{'batch': {batch}}}", patience="3s" if "sleep" in more else "30s")
    assert driven.stopped is not None
    assert said in driven.stopped
    in_batch = batch == 3 and ("the cache ended" in said or "no answer in" in said or "'hello'" in said)
    assert driven.stopped.startswith(f"event {3 if in_batch else 4} (")
    assert driven.driven.reads == (2 if in_batch else 3)


def test_an_older_value_of_the_key_is_a_stale_answer_and_no_nonsense(tmp_path: Path) -> None:
    driven = driven_by(tmp_path, "if m['id'] == 5: result = {'value': 0}")
    assert driven.stopped is None
    assert (driven.driven.stale_hits, driven.differ) == (1, 1)


@pytest.mark.parametrize("begin", ["{'batch': 0}", "{'batch': 'x'}", "{'batch': True}", "{'batch': 10**9}"])
def test_a_batch_that_is_none_is_said(tmp_path: Path, begin: str) -> None:
    driven = driven_by(tmp_path, begin=begin)
    assert driven.stopped is not None
    assert driven.stopped.startswith("begin: the cache answered batch = ")


@pytest.mark.parametrize("number", ["[5]", "{}", "'5'", "None", "True"])
def test_a_batch_with_strange_ids_is_said(tmp_path: Path, number: str) -> None:
    stopped = driven_by(
        tmp_path, f"if m['id'] == 3: return {{'jsonrpc': '2.0', 'id': {number}, 'result': result}}"
    ).stopped
    assert stopped is not None
    assert "the cache gave no answer with the id 3" in stopped


def is_running(number: int) -> bool:
    return psutil.pid_exists(number) and psutil.Process(number).status() != psutil.STATUS_ZOMBIE


@pytest.mark.clock
@pytest.mark.parametrize("end", ["pass", "if m['id'] == 5: os._exit(3)"], ids=["by itself", "too early"])
def test_what_a_command_leaves_behind_is_ended(tmp_path: Path, end: str) -> None:
    child = "subprocess.Popen(['sleep', '600'], stdout=2).pid"
    begin = f"if method == 'begin': import os, subprocess; open({str(tmp_path / 'child')!r}, 'w').write(str({child}))"
    driven_by(tmp_path, f"{begin}\n    import os\n    {end}")
    number = int((tmp_path / "child").read_text())
    until = time.monotonic() + seconds(5)
    while is_running(number) and time.monotonic() < until:
        time.sleep(0.05)
    assert not is_running(number)


def test_of_what_a_command_writes_to_standard_error_the_end_is_kept(tmp_path: Path) -> None:
    much = "sys.stderr.write('x' * 400_000_000)"
    before = psutil.Process().memory_info().rss
    driven = driven_by(tmp_path, f"if m['id'] == 3: {much}; raise KeyError('the end')")
    assert driven.stopped is not None
    assert "the cache ended with status 1: KeyError: 'the end'" in driven.stopped
    assert psutil.Process().memory_info().rss < before + (200 << 20)


def test_a_driver_is_told_what_it_must_know(tmp_path: Path) -> None:
    log = tmp_path / "log"
    more = f"open({str(log)!r}, 'a').write(json.dumps(m) + chr(10))"
    lines = (
        "0 read a lookup=x node=n scope=s",
        "1 write a lookup=x node=n found=no",
        "2 restart node=n",
        "3 clear lookup=x",
    )
    drive(told(*lines), settings=Rules(max_entries=5, per="scope"), command=command(tmp_path, more))
    begin, *events, end = [json.loads(line) for line in log.read_text().splitlines()]
    assert begin["params"] == {
        "protocol": 1,
        "begins": "1970-01-01 00:00:00.000",
        "begins_ms": 0,
        "nodes": ["n"],
        "lookups": {"x": {"max_entries": 5, "per": "scope"}},
        "pools": {},
    }
    assert [(one["method"], one["params"]) for one in events] == [
        ("read", {"at_ns": 0, "node": "n", "scope": "s", "lookup": "x", "key": "a", "value": 0, "size": 1024}),
        ("remove", {"at_ns": 10**9, "node": "n", "lookup": "x", "key": "a", "value": 1, "size": 0, "null": True}),
        ("restart", {"at_ns": 2 * 10**9, "node": "n"}),
        ("clear", {"at_ns": 3 * 10**9, "lookup": "x"}),
    ]
    assert end == {"jsonrpc": "2.0", "id": 5, "method": "end", "params": {}}


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ("no-such-program", "command: no-such-program cannot be started: No such file or directory; check its name"),
        ("'", 'command: "\'" cannot be read: No closing quotation; close the quotes'),
        ("", "command: is empty; write, for example, 'node my-cache.mjs'"),
    ],
)
def test_a_command_that_cannot_be_started_is_said(given: str, said: str) -> None:
    with pytest.raises(InputError, match="^" + re.escape(said) + "$"):
        drive(told("0 read a"), settings=Rules(), command=given)


@pytest.fixture(scope="module")
def harbour() -> Any:
    return vg.read_trace(Path(vg.__file__).parent / "demo" / "skerrow-quay.parquet").block(0, 20_000)


@pytest.mark.skipif(shutil.which("node") is None, reason="Node.js is missing")
def test_the_example_in_javascript_is_what_it_says(harbour: Any) -> None:
    pool = {"all": Pool(lookups=harbour.lookups, max_entries=200)}
    driven = drive(
        harbour,
        settings=Plan(Rules(absolute="10m", on_write="drop"), pools=pool),
        command=f"node {CACHES / 'lru.mjs'} 200 600",
    )
    assert (driven.stopped, driven.differ) == (None, 0)
    assert driven.driven.hits > 1000


@pytest.mark.skipif(shutil.which("java") is None, reason="Java is missing")
def test_the_example_in_java_is_what_it_says(harbour: Any) -> None:
    pool = {"all": Pool(lookups=harbour.lookups, max_entries=200)}
    plan = Plan(Rules(nulls="keep", on_write="replace", per="all"), pools=pool)
    driven = drive(harbour, settings=plan, command=f"java {CACHES / 'LinkedCache.java'} 200")
    assert driven.stopped is None
    assert driven.alike > 0.999 * driven.driven.reads  # it forgets what is removed, where the rules keep the null
