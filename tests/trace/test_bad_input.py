"""What bad input gets: a clear answer, or the rows that are there; never a silent loss."""

import gzip
import json
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from vestigo import TraceError, read_trace

LONG = "k" * (1 << 20)
BAD = {
    "empty.csv": ("", ": is empty"),
    "empty.json": ("", ": is empty"),
    "empty.log": ("", ": is empty"),
    "blank.csv": ("\n\n", ": holds no row; it must have a line of column names"),
    "utf16.csv": ("at,key\n1,a\n".encode("utf-16"), ": is UTF-16 text; save it as UTF-8"),
    "utf16.jsonl": ('{"at": 1, "key": "a"}\n'.encode("utf-16-be"), ", line 1: is not valid JSON"),
    "binary.csv": (bytes(range(256)) * 20, ": cannot be read: 'utf-8' codec can't decode byte 0x80"),
    "twice.csv": ("at,key,key\n1,a,b\n", ", line 1: column 'key' appears twice; rename one"),
    "twice.jsonl": ('{"at":1,"key":"a"}\n{"at":1,"key":"a","key":"b"}\n', ", line 2, column 'key': appears twice"),
    "nan.csv": ("at,key\nnan,a\n", ", line 2, column 'at': found 'nan'"),
    "nan.jsonl": ('{"at":NaN,"key":"a"}\n', ", line 1, column 'at': found nan"),
    "inf.jsonl": ('{"at":1e999,"key":"a"}\n', ", line 1, column 'at': found inf"),
    "wide.csv": ("at,key\n99999999999999999999,a\n", ", line 2, column 'at': found '99999999999999999999'"),
    "cut.csv.gz": (gzip.compress(b"at,key\n" + b"1,a\n" * 9999)[:60], ": cannot be read: Truncated compressed stream"),
    "middle.jsonl": ('{"at":1,"key":"a"}\n{"at":2,\n{"at":3,"key":"c"}\n', ", line 2: is not valid JSON"),
    "list.json": ('[{"at":1,"key":"a"}]', ", line 1: is not an object; every line must be one object"),
    "huge.csv": (
        f"at,key\n1,{LONG * 40}\n2,b\n",
        ": is longer than 16.0 MiB; if that is right, state longest_line",
    ),
    "local.csv": (
        "at,key\n2026-03-02T06:00:00,a\n",
        "it must be a time with an offset (2026-03-17T08:00:00Z); or state the time zone",
    ),
}
GOOD = {
    "header.csv": ("at,key\n", []),
    "mark.csv": ("\ufeffat,key\n1,a\n", ["a"]),
    "mark.jsonl": ('\ufeff{"at":1,"key":"a"}\n', ["a"]),
    "ends.csv": ("at,key\r\n1,a\r\n2,b\r\n", ["a", "b"]),
    "ends.jsonl": ('{"at":1,"key":"a"}\r\n\r\n{"at":2,"key":"b"}\r\n', ["a", "b"]),
    "old.csv": ("at,key\r1,a\r2,b\r", ["a", "b"]),
    "quoted.csv": ('at,key\n1,"a\n,""b"\n', ['a\n,"b']),
    "blanks.csv": ("\n\nat,key\n\n1,a\n\n", ["a"]),
    "wide.csv": ("at,key\n1,99999999999999999999\n2,5\n", ["99999999999999999999", "5"]),
    "wide.jsonl": ('{"at":1,"key":99999999999999999999}\n', ["99999999999999999999"]),
    "long.csv": (f"at,key\n1,{LONG}\n2,{LONG}\n3,b\n", [LONG, "b"]),
    "long.jsonl": ("".join(json.dumps({"at": i, "key": LONG * 9}) + "\n" for i in range(3)), [LONG * 9]),
    "nul.csv": ("at,key\n1,a\x00b\n", ["a\x00b"]),
}


def written(path: Path, content: str | bytes) -> Path:
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


@pytest.mark.parametrize("name", BAD)
def test_what_cannot_be_read_is_refused_with_a_reason(tmp_path: Path, name: str) -> None:
    content, says = BAD[name]
    path = written(tmp_path / name, content)
    with pytest.raises(TraceError) as error:
        read_trace(path)
    first = error.value.problems[0]
    assert first.startswith(str(path)) and says in first


@pytest.mark.parametrize("name", GOOD)
def test_what_is_but_unusual_is_read_to_the_last_row(tmp_path: Path, name: str) -> None:
    content, keys = GOOD[name]
    trace = read_trace(written(tmp_path / name, content))
    assert list(trace.keys[:]) == keys
    assert trace.notes == ()


def test_times_out_of_order_are_sorted_and_counted(tmp_path: Path) -> None:
    trace = read_trace(written(tmp_path / "t.csv", "at,key\n5,a\n3,b\n4,c\n6,d\n"))
    assert (trace.at.tolist(), list(trace.keys[:]), trace.moved) == ([3, 4, 5, 6], ["b", "c", "a", "d"], 2)


def test_a_parquet_footer_that_is_damaged(tmp_path: Path) -> None:
    pq.write_table(pa.table({"at": [1], "key": ["a"]}), tmp_path / "t.parquet")
    content = (tmp_path / "t.parquet").read_bytes()
    (tmp_path / "t.parquet").write_bytes(content[:-8] + b"\xff" * 4 + content[-4:])
    with pytest.raises(TraceError, match="cannot be read: Parquet"):
        read_trace(tmp_path / "t.parquet")
