"""A recording may say which reads a cache answered. Their time is that of a hit, and no cost of the origin."""

from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

import vestigo as vg
from tests.cli.calling import run
from tests.trace.test_spans import line, read, span
from tests.web.receiving import PROTOBUF, listening, post, request_of
from vestigo import InputError, Op, Trace, TraceError, read_trace
from vestigo.trace.columns import MISSING
from vestigo.web.listen.selection import hits_of

LOAD, HIT = 5_000_000, 2_000


def behind_a_cache(reads: int = 3000, keys: int = 50) -> dict[str, list[Any]]:
    """Two reads of three were hits, which took longer for larger values."""
    is_hit = [number % 3 > 0 for number in range(reads)]
    sizes = [1024 * (number % keys % 9 + 1) for number in range(reads)]
    return {
        "at": [number * 10**9 for number in range(reads)],
        "key": [f"k{number % keys}" for number in range(reads)],
        "size": sizes,
        "cost": [HIT + 300 * size // 1024 if hit else LOAD for hit, size in zip(is_hit, sizes, strict=True)],
        "state": ["hit" if hit else "miss" for hit in is_hit],
    }


@pytest.fixture
def trace() -> Trace:
    return read_trace(behind_a_cache(), hit_where={"state": "hit"}, cost_unit="ns")


def test_the_time_of_a_hit_is_no_cost(trace: Trace) -> None:
    is_hit = np.arange(len(trace)) % 3 > 0
    assert (trace.cost[~is_hit] == LOAD).all() and (trace.cost[is_hit] == MISSING).all()
    assert (trace.hit_cost[is_hit] == HIT + 300 * trace.size[is_hit] // 1024).all()
    assert (trace.hit_cost[~is_hit] == MISSING).all()
    plain = {name: values for name, values in behind_a_cache().items() if name != "state"}
    plain["cost"] = [LOAD if cost == LOAD else None for cost in plain["cost"]]
    same, other = (vg.replay(one, vg.Rules(max_entries=20)) for one in (trace, read_trace(plain, cost_unit="ns")))
    assert same.to_dict() == other.to_dict()  # such reads are reads like others


@pytest.mark.parametrize("name", ["t.csv", "t.jsonl", "t.parquet", "t.arrow", "t.tsv.gz"])
def test_files_keep_it(trace: Trace, tmp_path: Path, name: str) -> None:
    again = read_trace(vg.write_trace(trace, tmp_path / name))
    assert (again.hit_cost == trace.hit_cost).all() and (again.cost == trace.cost).all()
    assert read_trace(trace.to_dict()) == read_trace(trace.to_pandas()) == read_trace(behind_a_cache(), **SAID)


SAID: Any = {"hit_where": {"state": ["hit", "stale"]}, "cost_unit": "ns"}


@pytest.mark.parametrize("kind", [pa.int64(), pa.large_string(), pa.dictionary(pa.int32(), pa.string())])
def test_costs_of_any_kind_are_divided(trace: Trace, kind: pa.DataType) -> None:
    columns = {name: pa.array(values) for name, values in behind_a_cache().items()}
    texts = kind if kind == pa.int64() else pa.string()
    columns["cost"] = columns["cost"].cast(texts)
    if pa.types.is_dictionary(kind):
        columns["cost"] = columns["cost"].dictionary_encode()
    assert read_trace(pa.table(columns), **SAID) == trace


def test_the_survey_tells_what_hits_take(trace: Trace, tmp_path: Path) -> None:
    told = vg.survey(trace).hits
    assert told is not None and told.hit_cost_per_kib is not None
    assert (told.hits, told.hit_cost.value) == (2000, pytest.approx(2e-6))
    assert told.hit_cost_per_kib.value == pytest.approx(300e-9)
    assert vg.survey(read_trace({"at": [1, 2], "key": ["a", "a"]})).hits is None
    vg.write_trace(trace, tmp_path / "t.csv")
    done = run("survey", "t.csv", "--write-costs", "plan.toml", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert "What the recorded hits took (in 95 of 100 cases between): 2.00 µs (" in done.stdout.replace("\xa0", " ")
    assert done.stderr.splitlines()[0] == "vestigo: plan.toml: hit_cost = 2us, hit_cost_per_kib = 300ns"
    rules = vg.read_plan(tmp_path / "plan.toml").rules
    assert (int(rules.hit_cost), int(rules.hit_cost_per_kib)) == (2000, 300)
    vg.write_trace(read_trace({"at": [1, 2], "key": ["a", "a"]}), tmp_path / "none.csv")
    done = run("survey", "none.csv", "--write-costs", "plan.toml", cwd=tmp_path)
    assert "plan.toml: nothing was measured, so it stays as it is" in done.stderr
    assert vg.read_plan(tmp_path / "plan.toml").rules == rules


def test_hits_without_sizes_are_told_without_them() -> None:
    given = behind_a_cache()
    given["size"][1] = None
    told = vg.survey(read_trace(given, **SAID)).hits
    assert told is not None and told.hit_cost_per_kib is None and len(told.by_size) == 1


def test_columns_that_are_not_there_and_values_that_nobody_has_are_said() -> None:
    with pytest.raises(TraceError, match="no column 'cached', which hit_where is made of"):
        read_trace(behind_a_cache(), hit_where={"cached": True})
    notes = read_trace(behind_a_cache(), hit_where={"state": "HIT"}, cost_unit="ns").notes
    assert notes == ("table: hit_where: no row has state = HIT, so no read counts as a hit by that",)
    with pytest.raises(TraceError, match=r"hit_where.state: \{'a': 1\} is not a value or a list of values"):
        read_trace(behind_a_cache(), hit_where={"state": {"a": 1}})


def test_times_that_cannot_be_told_are_said() -> None:
    nothing = read_trace({"at": [1, 2], "key": ["a", "a"], "state": ["hit", "hit"]}, hit_where={"state": "hit"})
    assert nothing.notes == ("table: hit_where has no effect: no column says how long a read took (columns.cost)",)
    at = ["2026-03-17T08:00:00Z", "2026-03-17T08:00:01Z"]
    hits = read_trace({"at": at, "key": ["a", "a"], "cost": [2, 3], "state": ["hit"] * 2}, hit_where={"state": "hit"})
    assert hits.guessed == ("times of hits taken as ns (cost_unit states another)",)
    assert hits.hit_cost.tolist() == [2, 3]


def test_spans_around_hits_are_known_by_an_attribute(tmp_path: Path) -> None:
    spans = [span("vessel", number * 1000, 500 if number % 2 else 7, sign="X", hit=not number % 2) for number in (1, 2)]
    trace = read(tmp_path, line("quay-1", *spans), columns={"key": "{sign}"}, hit_where={"hit": True})
    assert (trace.cost.tolist(), trace.hit_cost.tolist()) == ([500, MISSING], [MISSING, 7])


def test_a_receiver_is_told_which_spans_are_hits(tmp_path: Path) -> None:
    spans = [{"name": "vessel.read", "sign": f"Q{number}", "desk.hit": number == 1} for number in range(3)]
    options = ("--intake", "columns.key={sign}", "--span-hit", "desk.hit=true")
    with listening("recording", *options, cwd=tmp_path) as receiver:
        assert post(receiver.url, request_of(*spans), PROTOBUF) == 200
        receiver.stop()
    trace = read_trace(tmp_path / "recording")
    assert (trace.op == Op.READ).all() and len(trace) == 3
    assert (trace.hit_cost != MISSING).tolist() == [False, True, False] == (trace.cost == MISSING).tolist()


def test_what_is_no_name_with_a_value_is_said() -> None:
    with pytest.raises(InputError, match=r"--span-hit hit: is not NAME=VALUE; write desk.cache.hit=true"):
        hits_of("--span-hit", ["hit", "a=b"])
