"""Settings and traces in every form that a user may have them."""

from pathlib import Path
from typing import Any

import pandas as pd
import pyarrow as pa
import pytest

import vestigo as vg

ROWS = [{"when": 1_000, "route": "a"}, {"when": 2_000, "route": "b", "bytes": 7}, {"when": 3_000, "route": "a"}]
COLUMNS = {name: [row.get(name) for row in ROWS] for name in ("when", "route", "bytes")}
PLAN = """
[trace]
path = "t.csv"
at_unit = "ns"
columns = {at = "{when}", key = "{route}", size = "{bytes}"}
[rules]
max_entries = 2
"""


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    pd.DataFrame(ROWS).astype({"bytes": "Int64"}).to_csv("t.csv", index=False)
    (tmp_path / "plan.toml").write_text(PLAN)
    return tmp_path


@pytest.mark.parametrize("trace", ["t.csv", Path("t.csv"), pd.DataFrame(ROWS), pa.table(COLUMNS), COLUMNS, ROWS])
def test_a_trace_is_taken_in_any_form_and_the_plan_says_what_its_columns_mean(folder: Path, trace: Any) -> None:
    plan = vg.read_plan(folder / "plan.toml")
    expected = vg.replay(vg.read_trace("t.csv", plan.intake), plan)
    assert expected.hits == 1
    for settings in ("plan.toml", Path("plan.toml"), plan):
        assert vg.replay(trace, settings) == expected
    assert vg.compare(trace, plan)["today"].hits == 1
    assert vg.size_curve(trace, plan).hit_rate(2) == 1 / 3
    assert vg.sweep(trace, plan).today.hits == 1
    means = {"at": "{when}", "key": "{route}", "size": "{bytes}"}
    assert vg.read_trace(trace, columns=means, at_unit="ns") == vg.read_trace("t.csv", plan.intake)


def test_a_trace_goes_through_plain_data_and_back() -> None:
    trace = vg.synth(reads=500, keys=30, changes="5s", nulls="10%", nodes=2, seed=2)
    again = vg.read_trace(trace.to_dict())
    assert vg.replay(again, vg.Rules(max_entries=9)) == vg.replay(trace, vg.Rules(max_entries=9))
    assert vg.read_trace(trace) is trace


def test_what_is_no_trace_or_no_settings_is_refused() -> None:
    with pytest.raises(vg.TraceError, match="5 is not a trace; give a path"):
        vg.read_trace(5)
    with pytest.raises(vg.InputError, match="is no settings; give Rules"):
        vg.replay(COLUMNS, {"max_entries": 5})  # type: ignore[arg-type]
    with pytest.raises(vg.TraceError, match="is already read"):
        vg.read_trace(vg.synth(reads=1), zone="UTC")
    with pytest.raises(vg.TraceError, match="mixes int and str"):
        vg.read_trace({"at": [1, "x"], "key": ["a", "b"]})
    with pytest.raises(vg.TraceError, match="no column 'at'"):
        vg.read_trace([{"key": "a"}])


def test_shapes_and_what_ifs_take_a_trace_in_any_form(folder: Path) -> None:
    (folder / "own.csv").write_text("at,key,cost\n1,a,5\n2,b,5\n3,a,5\n")
    assert len(vg.shape.only("own.csv", keys="a")) == 2
    assert len(vg.shape.between([{"at": 0, "key": "a"}, {"at": 10**9, "key": "b"}], "1s")) == 1
    assert vg.shape.merged(["own.csv", {"at": [9], "key": ["c"]}]).reads == 4
    assert vg.what_if.with_origin("own.csv", 2).cost.tolist() == [10, 10, 10]
    assert vg.what_if.on_nodes({"at": [1, 2], "key": ["a", "b"]}, 2).node.tolist() == [0, 1]
    assert vg.survey("own.csv").total.reads == 3
    assert vg.KeySample("own.csv", "10%").estimate(vg.Rules()).loads == vg.replay("own.csv", vg.Rules()).loads == 3
