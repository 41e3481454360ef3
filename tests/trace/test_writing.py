"""A trace goes through every format and back with the same replay; the prepared form is mapped, not read."""

import json
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest

from vestigo import Plan, Rules, Trace, TraceError, read_plan, read_trace, replay, shape, write_trace
from vestigo.demo.files import write_demo
from vestigo.trace.formats.prepared import is_prepared

ENDINGS = [".csv", ".csv.zst", ".tsv.gz", ".jsonl", ".jsonl.bz2", ".parquet", ".arrow"]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Trace, Plan]:
    trace, plan = write_demo(tmp_path_factory.mktemp("demo"))
    return read_trace(trace), read_plan(plan)


@pytest.mark.parametrize("ending", ENDINGS)
def test_the_demo_goes_through_every_format_and_back(tmp_path: Path, demo: tuple[Trace, Plan], ending: str) -> None:
    trace, plan = demo
    if ending.endswith(("gz", "bz2")):  # which take their time
        trace = shape.only(trace, nodes=["quay-1"])
    unit = {} if ending in (".parquet", ".arrow") else {"cost_unit": "ns"}
    back = read_trace(write_trace(trace, tmp_path / f"t{ending}"), **unit)
    texts = {"version": str}  # a text does not say that it was a number
    assert back.to_pandas().astype(texts).equals(trace.to_pandas().astype(texts))
    assert back.notes == ()
    assert replay(back, plan).to_dict() == replay(trace, plan).to_dict()
    assert [path.name for path in tmp_path.iterdir()] == [f"t{ending}"]


@pytest.mark.parametrize("ending", ENDINGS)
def test_odd_traces_come_back_as_they_were(tmp_path: Path, ending: str) -> None:
    rows = [
        {"at": -5, "op": "read", "lookup": "a,\n\"b'", "key": '{"\u2028\x1b\t', "size": 2**60, "force": True},
        {"at": 7, "op": "clear"},
        {"at": 7, "op": "restart"},
        {"at": 4 * 10**18, "op": "remove", "lookup": "=1+1", "key": ""},
    ]
    (tmp_path / "odd").write_text("\n".join(map(json.dumps, rows)))
    odd = read_trace(tmp_path / "odd", format="jsonl", at_unit="ns")
    back = read_trace(write_trace(odd, tmp_path / f"t{ending}"), at_unit="ns")
    assert back.to_pandas().equals(odd.to_pandas())


@pytest.mark.parametrize("ending", [".csv", ".tsv.gz", ".parquet", ".arrow"])
def test_a_trace_without_events_comes_back_empty(tmp_path: Path, ending: str) -> None:
    empty = read_trace({"at": [], "key": []})
    assert len(read_trace(write_trace(empty, tmp_path / f"e{ending}"))) == 0


def test_a_prepared_trace_adds_no_copy_of_its_columns(tmp_path: Path, demo: tuple[Trace, Plan]) -> None:
    path = write_trace(demo[0], tmp_path / "t.arrow")
    assert is_prepared(path)
    before = pa.total_allocated_bytes()
    trace = read_trace(path)
    assert pa.total_allocated_bytes() - before < len(trace)
    for name in ("at", "op", "lookup", "key", "size", "cost", "found", "version", "scope", "node", "force"):
        assert not getattr(trace, name).flags.owndata, name
    assert np.array_equal(trace.key_lookup, demo[0].key_lookup)


def test_any_reader_of_arrow_files_sees_what_is_missing(tmp_path: Path) -> None:
    trace = read_trace({"at": [1, 2], "key": ["a", "b"], "size": [None, 7]})
    with pa.memory_map(str(write_trace(trace, tmp_path / "t.arrow"))) as file:
        table = pa.ipc.open_file(file).read_all()
    assert table.drop_columns(["at"]).to_pylist() == [
        {"op": "read", "lookup": "reads", "key": "a", "size": None},
        {"op": "read", "lookup": "reads", "key": "b", "size": 7},
    ]


def test_a_prepared_file_needs_no_mapping_but_takes_one(tmp_path: Path) -> None:
    trace = read_trace({"at": [1, 2], "key": ["a", "b"], "lookup": ["l", "m"]})
    path = write_trace(trace, tmp_path / "t.arrow")
    assert list(read_trace(path, columns={"key": "{lookup}-{key}"}).keys[:]) == ["l-a", "m-b"]


def test_what_cannot_be_written_leaves_nothing_behind(tmp_path: Path) -> None:
    trace = read_trace({"at": [1], "key": ["a"]})
    with pytest.raises(TraceError, match="its ending does not say the format"):
        write_trace(trace, tmp_path / "t.txt")
    with pytest.raises(TraceError, match="cannot be written: No such file or directory"):
        write_trace(trace, tmp_path / "none" / "t.csv")
    assert list(tmp_path.iterdir()) == []


def test_the_keys_of_a_prepared_trace_may_be_numbers(tmp_path: Path) -> None:
    trace = read_trace({"at": [1, 2, 3], "key": [7, 9, 7]})
    back = read_trace(write_trace(trace, tmp_path / "t.arrow"))
    assert list(back.keys[:]) == [7, 9]
    assert replay(back, Rules()).hits == 1
