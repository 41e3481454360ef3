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
    assert vg.size_curve(trace, plan).hit_rate(2) == vg.replayed_curve(trace, plan, "reads", [2])[2] == 1 / 3
    assert vg.sweep(trace, plan).today.hits == 1
    means = {"at": "{when}", "key": "{route}", "size": "{bytes}"}
    assert vg.read_trace(trace, columns=means, at_unit="ns") == vg.read_trace("t.csv", plan.intake)


def test_a_trace_goes_through_plain_data_and_back() -> None:
    trace = vg.synth(reads=500, keys=30, changes="5s", nulls="10%", nodes=2, seed=2)
    again = vg.read_trace(trace.to_dict())
    assert vg.replay(again, vg.Rules(max_entries=9)) == vg.replay(trace, vg.Rules(max_entries=9))
    assert vg.read_trace(trace) is trace


def test_what_is_no_trace_or_no_settings_is_refused() -> None:
    with pytest.raises(vg.TraceError, match="int is no trace; give a path"):
        vg.read_trace(5)
    with pytest.raises(vg.InputError, match="dict is no settings; give Rules"):
        vg.replay(COLUMNS, {"max_entries": 5})  # type: ignore[arg-type]
    with pytest.raises(vg.TraceError, match="is read already"):
        vg.read_trace(vg.synth(reads=1), zone="UTC")
    with pytest.raises(vg.TraceError, match="a column cannot be read"):
        vg.read_trace({"at": [1, "x"], "key": ["a", "b"]})
    with pytest.raises(vg.TraceError, match="no column 'at'"):
        vg.read_trace([{"key": "a"}])
