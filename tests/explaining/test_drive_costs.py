"""What entries and hits of a driven cache take is measured, and said only if it can be told."""

import gc
import json
import shlex
import subprocess
import sys
import tracemalloc
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pytest

import vestigo as vg
from tests.cli.calling import run
from vestigo import Driven, Duration, RulesError, Trace
from vestigo.describing.hit_times import hit_times
from vestigo.explaining.drive.offered import OriginValue, stand_in_bytes
from vestigo.explaining.drive.scales import Scales, private_bytes
from vestigo.rules.plan_edit import state_rules

SCRIPT = """
import json, sys
held, sizes = {}, {}
def read(p):
    name = p["key"]
    is_new = name not in held
    if is_new: held[name], sizes[name] = p["value"], p["size"]
    return {"value": held[name], "taken": is_new, "took_ns": TOOK}
def answer(m):
    p, result = m["params"], None
    if m["method"] == "begin": result = BEGIN
    if m["method"] == "read": result = read(p)
    if m["method"] == "weigh": result = {"bytes": BYTES}
    return {"jsonrpc": "2.0", "id": m["id"], "result": result}
for line in sys.stdin:
    m = json.loads(line)
    print(json.dumps(list(map(answer, m)) if isinstance(m, list) else answer(m)), flush=True)
"""


@pytest.fixture(scope="module")
def trace() -> Trace:
    """Keys come fast at first, and then more and more slowly."""
    return vg.synth(reads=30_000, keys=4_000, seed=3)


def command(folder: Path, begin: str = "{'batch': 500, 'weighs': True}", bytes_held: str = "0", took: str = "5") -> str:
    script = folder / "cache.py"
    script.write_text(SCRIPT.replace("BEGIN", begin).replace("BYTES", bytes_held).replace("TOOK", took))
    return shlex.join([sys.executable, str(script)])


def driven_by(trace: Trace, *script: Any, **more: Any) -> Driven:
    return vg.drive(trace, vg.Rules(nulls="keep"), command=command(*script, **more))


def test_what_a_cache_says_that_it_holds_gives_the_bytes_of_an_entry(trace: Trace, tmp_path: Path) -> None:
    costs = driven_by(trace, tmp_path, bytes_held="10**7 + 123 * len(held)").costs
    assert costs.entry_overhead is not None
    assert costs.entry_overhead.value == pytest.approx(123, rel=0.02)
    assert costs.entry_overhead.low <= costs.entry_overhead.value <= costs.entry_overhead.high < 130
    assert costs.rules["entry_overhead"] == round(costs.entry_overhead.value)
    assert costs.untold == ()


def test_the_bytes_of_values_are_taken_off_if_it_keeps_values(trace: Trace, tmp_path: Path) -> None:
    begin, held = "{'batch': 500, 'weighs': True, 'keeps': 'values'}", "sum(sizes.values()) + 77 * len(held)"
    costs = driven_by(trace, tmp_path, begin, held).costs
    assert costs.entry_overhead is not None
    assert costs.entry_overhead.value == pytest.approx(77, abs=10)
    costs = driven_by(trace, tmp_path, bytes_held=held).costs
    told = costs.entry_overhead
    assert told is None or told.value > 500  # sizes are a thousand on average, and belong to nothing else then


def test_memory_that_moves_for_other_reasons_tells_nothing(trace: Trace, tmp_path: Path) -> None:
    costs = driven_by(trace, tmp_path, bytes_held="10**8 + hash(str(len(held))) % 10**8").costs
    assert costs.entry_overhead is None
    assert "entry_overhead" not in costs.rules
    (why,) = costs.untold
    assert why.startswith("bytes an entry: ") and "would go with what it says that it holds, which is too rough" in why


def test_other_settings_than_those_of_the_cache_tell_nothing(trace: Trace, tmp_path: Path) -> None:
    driven = vg.drive(
        trace, vg.Rules(eviction="fifo", max_entries=20), command=command(tmp_path, bytes_held="100 * len(held)")
    )
    if driven.found is None or driven.differ:
        alike = driven.explanations[-1].alike if driven.explanations else driven.alike
        assert (driven.costs.entry_overhead is None) == (alike < 0.95 * driven.driven.reads)


@pytest.mark.parametrize(
    ("script", "said"),
    [
        ({"begin": "{'weighs': 1}"}, "begin: the cache answered weighs = '1'; write true or false"),
        ({"begin": "{'keeps': 'all'}"}, 'begin: the cache answered keeps = \'all\'; write "numbers" or "values"'),
        ({"bytes_held": "-1"}, "begin: the cache answered bytes = '-1' to \"weigh\"; answer a whole number"),
        ({"bytes_held": "True"}, "begin: the cache answered bytes = 'true'"),
        ({"took": "1.5"}, "read of "),
        ({"took": "-1"}, "the cache answered took_ns = '-1'; answer whole nanoseconds"),
    ],
)
def test_wrong_answers_are_said(trace: Trace, tmp_path: Path, script: dict[str, str], said: str) -> None:
    stopped = driven_by(trace, tmp_path, **script).stopped
    assert stopped is not None
    assert said in stopped


def test_hits_are_timed_by_the_cache(trace: Trace, tmp_path: Path) -> None:
    begin = "{'batch': 500, 'keeps': 'values'}"
    hits = driven_by(trace, tmp_path, begin, took="10**9 if is_new else 2000 + 3 * sizes[name]").costs.hits
    assert hits is not None and hits.hit_cost_per_kib is not None
    assert hits.hit_cost.value == pytest.approx(2e-6, rel=0.02)
    assert hits.hit_cost_per_kib.value == pytest.approx(3.072e-6, rel=0.01)
    assert sum(one.hits for one in hits.by_size) <= hits.hits
    assert [one.median for one in hits.by_size] == sorted(one.median for one in hits.by_size)
    of_numbers = driven_by(trace, tmp_path, took="2000 + 3 * sizes[name]").costs.hits
    assert of_numbers is not None and of_numbers.hit_cost_per_kib is None  # numbers have no size


IN_PYTHON = """
import json, sys
import vestigo as vg
besides, contents = int(sys.argv[1]), sys.argv[2] == "True"
class Held:
    def __init__(self): self.entries = {}
    def read(self, lookup, key, load):
        if key not in self.entries: self.entries[key] = load(), b"x" * besides
        return self.entries[key][0]
trace = vg.synth(reads=60_000, keys=20_000, seed=3)
print(json.dumps(vg.drive(trace, vg.Rules(nulls="keep"), read=Held().read, contents=contents).to_dict()))
"""


def in_python(besides: int, contents: bool) -> dict[str, Any]:
    """Drives a cache in a process that has done nothing before."""
    words = [sys.executable, "-c", IN_PYTHON, str(besides), str(contents)]
    driven = json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)
    assert driven["driven"]["hits"] == driven["replayed"]["hits"]
    return driven["costs"]  # type: ignore[no-any-return]


@pytest.mark.parametrize("contents", [False, True])
def test_what_a_cache_in_this_process_keeps_besides_is_measured(contents: bool) -> None:
    less, more = in_python(1000, contents), in_python(2000, contents)
    assert more["entry_overhead"]["value"] - less["entry_overhead"]["value"] == pytest.approx(1000, rel=0.2)
    assert 0 < less["hits"]["hit_cost"]["value"] < 1e-3
    assert (len(less["hits"]["by_size"]) > 1) == contents


def test_what_stands_for_a_value_takes_what_is_said() -> None:
    gc.collect()
    tracemalloc.start()
    kept = [OriginValue("", "", number, number + 1, 0, number.to_bytes(100)) for number in range(10_000, 20_000)]
    took = tracemalloc.get_traced_memory()[0] / len(kept)
    tracemalloc.stop()
    assert took - 100 - 8 == pytest.approx(stand_in_bytes(contents=True), abs=16)  # 8: the place in the list
    assert stand_in_bytes(contents=False) == stand_in_bytes(contents=True) - 48


def test_a_process_is_weighed_with_all_that_it_has_started(tmp_path: Path) -> None:
    child = "import sys; held = b'x' * 30_000_000; print(1, flush=True); sys.stdin.read()"
    (tmp_path / "child.py").write_text(child)
    parent = f"import subprocess, sys; subprocess.run([sys.executable, {str(tmp_path / 'child.py')!r}])"
    with psutil.Popen([sys.executable, "-c", parent], stdin=-1, stdout=-1) as process:
        assert process.stdout.readline() == b"1\n"
        both = private_bytes(process.pid)
        assert both is not None and both > 30_000_000
        (of_child,) = process.children()
        assert 30_000_000 < (private_bytes(of_child.pid) or 0) < both
        process.communicate()
    assert private_bytes(process.pid) is None


def test_looks_are_few_however_long_the_trace_is() -> None:
    scales, looks = Scales(-1, 1_000_000), 0
    for events in range(0, 1_000_000, 500):
        if scales.is_due(events):
            scales.weigh(events, said=7)
            looks += 1
    assert looks == 100 == len(scales.weights.events)
    assert scales.weights.by_itself
    nobody = Scales(-1, 10)
    nobody.weigh(0)
    assert len(nobody.weights.events) == 0 and not nobody.weights.by_itself


def test_few_hits_tell_nothing_and_sizes_that_do_not_matter_are_no_cost() -> None:
    assert hit_times(np.full(99, 10), None) is None
    at_random = np.random.default_rng(1)
    took, sizes = at_random.lognormal(7, 1, 5000).astype(np.int64), at_random.choice([500, 20_000, 300_000], 5000)
    told = hit_times(took, sizes)
    assert told is not None and told.hit_cost_per_kib is None
    assert told.hit_cost.low < np.median(took) / 1e9 < told.hit_cost.high
    slower = hit_times(took + sizes // 100, sizes)
    assert slower is not None and slower.hit_cost_per_kib is not None
    assert slower.hit_cost_per_kib.low < 10.24e-9 < slower.hit_cost_per_kib.high
    assert hit_times(sizes // 50, sizes).hit_cost.value >= 0  # type: ignore[union-attr]


PLAN = """# ours
[rules]
max_entries = 4000   # room
nulls = "keep"

[lookup.lookup]
entry_overhead = "100 B"   # measured by hand
[candidate.other]
from_scratch = true
rules.max_entries = 5
"""


def test_costs_are_put_into_a_plan_and_all_else_stays(trace: Trace, tmp_path: Path) -> None:
    vg.write_trace(trace, tmp_path / "t.parquet")
    (tmp_path / "plan.toml").write_text(PLAN.replace("lookup.lookup", f'lookup."{trace.lookups[0]}"'))
    cache = command(tmp_path, bytes_held="10**7 + 123 * len(held)", took="1500")
    called = ("drive", "t.parquet", "--rules", "entry_overhead=64B", "--command", cache, "--write-costs")
    done = run(*called, "plan.toml", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "an entry beyond its value (" in done.stdout and "1.50 µs (1.50 µs to 1.50 µs) a hit" in done.stdout
    assert f"other values stay in [lookup.{trace.lookups[0]}], [candidate.other]; write these there" in done.stderr
    lines, before = (tmp_path / "plan.toml").read_text().splitlines(), PLAN.splitlines()
    assert lines[:4] == before[:4] and lines[-4:] == [*before[-5:-3][1:], *before[-3:]]
    rules = vg.read_plan(tmp_path / "plan.toml").rules
    assert abs(rules.entry_overhead - 123) < 4 and int(rules.hit_cost) == 1500
    assert run(*called, "new.toml", cwd=tmp_path).returncode == 0
    assert vg.read_plan(tmp_path / "new.toml").rules == vg.Rules(
        entry_overhead=rules.entry_overhead, hit_cost=rules.hit_cost
    )


@pytest.mark.parametrize(
    "text",
    [
        "rules.max_entries = 5\nrules.nulls = 'keep'\n",
        "rules = { max_entries = 5 }\n",
        "[lookup.a]\nmax_entries = 5\n\n[rules]\r\nhit_cost = '5us'  # by hand\r\n",
        "# nothing yet\n",
    ],
)
def test_costs_are_put_wherever_rules_stand(tmp_path: Path, text: str) -> None:
    path = tmp_path / "plan.toml"
    path.write_bytes(text.encode())
    before = vg.read_plan(path)
    assert state_rules(path, {"hit_cost": Duration(7000), "entry_overhead": 99}) == ()
    assert vg.read_plan(path) == before.changed({"rules.hit_cost": "7us", "rules.entry_overhead": 99})
    kept = [line for line in text.split("\n") if "hit_cost" not in line and "{" not in line]
    assert set(kept) <= set(path.read_bytes().decode().split("\n"))


def test_costs_that_would_make_a_plan_wrong_are_not_written(trace: Trace, tmp_path: Path) -> None:
    vg.write_trace(trace, tmp_path / "t.parquet")
    (tmp_path / "plan.toml").write_text("[rules]\nmax_bytes = 100\n")
    cache = command(tmp_path, bytes_held="10**7 + 123 * len(held)")
    done = run(
        *("drive", "t.parquet", "--rules", "max_bytes=no limit", "--rules", "nulls=keep"),
        *("--command", cache, "--write-costs", "plan.toml", "--json"),
        cwd=tmp_path,
    )
    assert done.returncode == 2
    assert done.stderr.splitlines()[-1].startswith("vestigo: plan.toml: ") and "max_bytes = 100" in done.stderr
    assert (tmp_path / "plan.toml").read_text() == "[rules]\nmax_bytes = 100\n"


def test_a_command_makes_its_own_values() -> None:
    with pytest.raises(RulesError, match=r"contents: a command makes its own values; leave it out"):
        vg.drive(vg.synth(10), vg.Rules(), command="true", contents=True)
    few = vg.drive(vg.synth(10), vg.Rules(), read=lambda _lookup, _key, load: load()).costs
    assert few.hits is None and few.entry_overhead is None and few.rules == {}
    assert "says too little; drive a longer one" in few.untold[0]
