"""A trace is read from a file, a folder, a pattern, or standard input."""

import io
import sys
from pathlib import Path

import pytest

from vestigo import TraceError, read_trace


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "deep").mkdir()
    (tmp_path / "a.csv").write_text("at,key,size,version\n1,x,5,v\n4,7,,w\n")
    (tmp_path / "deep" / "b.jsonl").write_text('{"at": 2, "key": 7, "lookup": "l"}\n{"at": 3, "key": 8}\n')
    (tmp_path / "c.tsv").write_text("at\tkey\tversion\n4\tx\tw\n")
    (tmp_path / ".hidden.csv").write_text("nonsense")
    (tmp_path / "notes.txt").write_text("nonsense")
    return tmp_path


def test_all_files_of_a_folder_are_one_trace(folder: Path) -> None:
    trace = read_trace(folder)
    assert trace.at.tolist() == [1, 2, 3, 4, 4]
    assert [trace.keys[key] for key in trace.key] == ["x", "7", "8", "7", "x"]
    assert [trace.lookups[lookup] for lookup in trace.lookup] == ["reads", "l", "reads", "reads", "reads"]
    assert trace.size.tolist() == [5, -1, -1, -1, -1]
    assert trace.version.tolist() == [0, -1, -1, 1, 1]


def test_files_whose_names_fit_a_pattern_are_one_trace(folder: Path) -> None:
    assert len(read_trace(str(folder / "*.?sv"))) == 3
    assert len(read_trace(str(folder / "**" / "*.jsonl"))) == 2
    with pytest.raises(TraceError, match="no file has a name like that"):
        read_trace(str(folder / "*.parquet"))


def test_what_is_wrong_is_named_with_its_own_file(folder: Path) -> None:
    (folder / "b.csv").write_text("at,key\n1,x\nnoon,y\n")
    with pytest.raises(TraceError, match=r"b\.csv, line 3, column 'at': found 'noon'"):
        read_trace(folder)


def test_a_folder_without_traces_is_refused(tmp_path: Path) -> None:
    (tmp_path / "notes.txt").write_text("nonsense")
    with pytest.raises(TraceError, match="the folder has no file of a known format"):
        read_trace(tmp_path)


def test_standard_input_needs_a_format(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(b"at,key\n1,a\n2,x,y\n")))
    with pytest.raises(TraceError, match="state it"):
        read_trace("-")
    with pytest.raises(TraceError, match="line 3: 3 fields"):
        read_trace("-", format="csv")


def test_the_format_can_be_stated(tmp_path: Path) -> None:
    (tmp_path / "export").write_text("at,key\n1,a\n")
    assert len(read_trace(tmp_path / "export", format="csv")) == 1
    with pytest.raises(TraceError, match="format: 'xls' is unknown; known are csv"):
        read_trace(tmp_path / "export", format="xls")
