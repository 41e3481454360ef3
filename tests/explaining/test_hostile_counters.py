"""Counters that say nonsense are refused with the place where it stands; too few reads are no answer."""

import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from tests.cli.calling import run
from tests.trials.cases import bounded
from vestigo import Confirmation, CounterNames, InputError, Rules, Trace, confirm
from vestigo.explaining.confirm.counters import read_counters

RULES = Rules(max_entries=10)


@pytest.fixture(scope="module")
def trace() -> Trace:
    return vg.synth(reads=1000, keys=50, seed=1)


def between(trace: Trace, begin: dict[str, Any], end: dict[str, Any]) -> list[dict[str, Any]]:
    first, last = int(trace.at[0]) / 1e9, (int(trace.at[-1]) + 1) / 1e9
    return [{"at": first, **begin}, {"at": last, **end}]


@pytest.mark.parametrize(
    ("begin", "end", "said"),
    [
        ({"hits": 0, "misses": 0}, {"hits": -5, "misses": -9}, "counters, record 2, hits: -5 is no count of hits"),
        ({"hits": 7, "misses": 3}, {"hits": 7, "misses": 3}, "counters: no read was counted between"),
        ({"hits": 0, "reads": 0}, {"hits": 50, "reads": 20}, "counters: they say 50 hits in 20 reads"),
        ({"hits": 0, "misses": 0}, {"hits": 1e308, "misses": 5}, "record 2, hits: 1e\\+308 is no count"),
        ({"hits": 0, "misses": 0}, {"hits": math.inf, "misses": 5}, "record 2, hits: inf is no count"),
        ({"hits": 0, "misses": 0}, {"hits": math.nan, "misses": 5}, "record 2, hits: nan is no count"),
        ({"hits": 0, "misses": 0}, {"hits": 10**400, "misses": 5}, "record 2, hits: inf is no count"),
        ({"hits": 0, "entries": 0}, {"hits": 5, "entries": 5}, "counters: none says misses or reads"),
    ],
)
def test_numbers_that_count_nothing_are_refused(
    trace: Trace, begin: dict[str, Any], end: dict[str, Any], said: str
) -> None:
    with pytest.raises(InputError, match=said):
        confirm(trace, RULES, between(trace, begin, end))


def test_other_columns_may_hold_anything(trace: Trace) -> None:
    rows = between(trace, {"hits": 0, "misses": 0, "heat": -5}, {"hits": 500, "misses": 500, "heat": math.nan})
    assert confirm(trace, RULES, rows).reads[0] == 1000


@pytest.mark.parametrize("at", ["1e999", 9e25, "9999-01-01T00:00:00Z", 0.5, math.nan, 10**400, "1949-12-31T00:00:00Z"])
def test_times_out_of_range_are_refused(at: Any) -> None:
    with pytest.raises(InputError, match=r"counters, record 1: at = '.*' is no time: "):
        read_counters([{"at": at, "hits": 1, "misses": 1}, {"at": 5, "hits": 2, "misses": 2}], CounterNames())


def test_of_many_wrong_records_ten_are_named() -> None:
    with pytest.raises(InputError) as raised:
        read_counters([{"at": "x", "hits": 1}] * 500, CounterNames())
    assert len(raised.value.problems) == 11
    assert raised.value.problems[-1] == "and 490 more problems of this kind"


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("c.csv", "at,hits,misses\n0,1,2\n" + "9" * 200_000 + ",1,2\n", "c.csv: is no table: field larger than"),
        ("c.json", "[" * 100_000, "c.json: is not a list of records: it is nested too deep"),
        ("c.jsonl", '{"at": 1e999, "hits": 1, "misses": 1}\n', "c.jsonl, record 1: at = 'inf' is no time"),
        ("c.json", '[{"at": 1, "hits": 1e999, "misses": 1}, {"at": 2, "hits": 1, "misses": 1}]', "inf is no count"),
        ("c.prom", "hits 5 99999999999999999999999\nmisses 5\n", "c.prom: is no text of Prometheus or OpenMetrics"),
        ("c.prom", "hits{a=\n", "c.prom: is no text of Prometheus or OpenMetrics"),
    ],
)
def test_hostile_files_are_refused(tmp_path: Path, name: str, text: str, said: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(InputError, match=said):
        read_counters(tmp_path / name, CounterNames())


@pytest.mark.parametrize("name", ["9999999999999999999.prom", "9999-99-99T99-99-99.prom", "4000-01-01T00-00-00.prom"])
def test_a_name_that_tells_no_time_is_no_time(tmp_path: Path, name: str) -> None:
    for one in (name, "1773734400.prom"):
        (tmp_path / one).write_text("hits 5\nmisses 5\n")
    assert (read_counters(tmp_path, CounterNames()).at_ns < 2 * 10**18).all()


def test_rows_with_and_without_a_lookup_may_stand_together(trace: Trace) -> None:
    own = between(trace, {"hits": 0, "misses": 0}, {"hits": 400, "misses": 600})
    named = [{**row, "lookup": trace.lookups[0]} for row in own]
    found = confirm(trace, RULES, [*own, *named, {**own[0], "lookup": "", "misses": None}])
    assert {one.lookup for one in found.compared} == {None, trace.lookups[0]}
    json.dumps(found.to_dict(), allow_nan=False)


def test_too_few_reads_are_no_answer(trace: Trace, tmp_path: Path) -> None:
    share = vg.replay(trace, RULES).hit_rate
    rows = between(trace, {"hits": 0, "misses": 0}, {"hits": round(40 * share), "misses": 40 - round(40 * share)})
    found = confirm(trace, RULES, rows)
    assert (found.is_known, found.is_as_predicted, found.to_dict()["is_as_predicted"]) == (False, False, None)
    vg.write_trace(trace, tmp_path / "t.parquet")
    (tmp_path / "c.json").write_text(json.dumps(rows))
    done = run("confirm", "t.parquet", "--rules", "max_entries=10", "--counters", "c.json", cwd=tmp_path)
    assert done.returncode == 1
    assert done.stdout.startswith("Not known whether the running cache matches: fewer than 100 reads in the counters")


@given(st.data())
def test_mutated_counters_are_compared_or_refused(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    trace = vg.synth(reads=300, keys=20, seed=2)
    first = 1_000_000_000
    moments = np.linspace(int(trace.at[0]) / 1e9, int(trace.at[-1]) / 1e9, 5)
    rows = [
        {"at": at, "lookup": trace.lookups[0], "hits": 30 * n, "misses": 20 * n, "entries": n}
        for n, at in enumerate(moments)
    ]
    table = "at,lookup,hits,misses\n" + "".join(f"{r['at']},{r['lookup']},{r['hits']},{r['misses']}\n" for r in rows)
    text = "# TYPE hits counter\n" + f'hits{{lookup="{trace.lookups[0]}"}} 30 {first}\nmisses 20 {first}\n'
    files = {"c.csv": table, "c.json": json.dumps(rows), "c.jsonl": "\n".join(map(json.dumps, rows)), "c.prom": text}
    name = data.draw(st.sampled_from(sorted(files)))
    content = bytearray(files[name].encode())
    for _ in range(data.draw(st.integers(1, 5))):
        at = data.draw(st.integers(0, len(content) - 1))
        what = data.draw(
            st.sampled_from([b"-", b"9" * 30, b"e999", b"NaN", b"inf", b"", b'"', b"\n", b"\0", b"[", b"{"])
        )
        content[at : at + data.draw(st.integers(0, 6))] = what
        content = content or bytearray(b" ")
    folder = tmp_path_factory.mktemp("mutated")
    (folder / name).write_bytes(content)
    (folder / "5000000000.prom").write_text("hits 50\nmisses 40\n")
    said: Sequence[str] = ()
    with bounded():
        try:
            found = confirm(trace, RULES, folder if name == "c.prom" else folder / name)
        except InputError as error:
            said = error.problems
        else:
            assert isinstance(found, Confirmation)
            json.dumps(found.to_dict(), allow_nan=False)
            str(found)
    assert all(problem and "\n" not in problem for problem in said)
