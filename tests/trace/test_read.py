"""Every format gives the same trace, and what is wrong is named with its place."""

import csv
import io
import json
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from vestigo import TraceError, read_trace
from vestigo.trace import Op
from vestigo.trace.formats.packed import PACKINGS

CSV = """at,op,lookup,key,size,cost,found,version,scope,node,force
10,read,tide,a,5,7,true,v1,s,n1,false
20,write,tide,"b,
c",,,,v2,,,
30,clear,tide,,,,,,,,
20,remove,,7,,,,,,,true
"""
JSON = [
    {"at": 10, "op": "read", "lookup": "tide", "key": "a", "size": 5, "cost": 7, "found": True, "version": "v1"},
    {"at": 20, "op": "write", "lookup": "tide", "key": "b,\nc", "version": "v2"},
    {"at": 30, "op": "clear", "lookup": "tide"},
    {"at": 20, "op": "remove", "key": "7", "force": True},
]
JSON[0] |= {"scope": "s", "node": "n1", "force": False}


def refused(path: Path) -> list[str]:
    with pytest.raises(TraceError) as error:
        read_trace(path)
    return [problem.removeprefix(str(path)) for problem in error.value.problems]


def written(path: Path, text: str) -> Path:
    path.write_text(text)
    return path


def packed(path: Path, text: str) -> Path:
    with pa.output_stream(path, compression="detect") as file:
        file.write(text.encode())
    return path


def test_every_format_and_packing_gives_the_same(tmp_path: Path) -> None:
    table = pa.Table.from_pylist(JSON)
    pq.write_table(table, tmp_path / "t.parquet")
    rows = list(csv.reader(CSV.splitlines(keepends=True)))
    tabs = io.StringIO()
    csv.writer(tabs, delimiter="\t").writerows(rows)
    texts = {"csv": CSV, "tsv": tabs.getvalue(), "jsonl": "\n".join(map(json.dumps, JSON)) + "\n\n"}
    paths = [packed(tmp_path / f"t.{kind}{packing}", texts[kind]) for kind in texts for packing in PACKINGS]
    with pa.ipc.new_file(tmp_path / "t.arrow", table.schema) as file:
        file.write_table(table)
    paths += [tmp_path / "t.parquet", tmp_path / "t.arrow"]
    traces = [read_trace(path) for path in paths]
    for trace in traces:
        assert trace.moved == 1
        assert trace.lookups == ("tide", "reads")
        assert list(trace.keys[:]) == ["a", "b,\nc", "7"]
        assert trace.to_pandas().equals(traces[0].to_pandas())
    assert traces[0].at.tolist() == [10, 20, 20, 30]
    assert traces[0].op.tolist() == [Op.READ, Op.WRITE, Op.REMOVE, Op.CLEAR]
    assert traces[0].key.tolist() == [0, 1, 2, -1]
    assert traces[0].found.tolist() == [1, -1, -1, -1]
    assert traces[0].force.tolist() == [False, False, True, False]


def test_ids_are_numbered_by_first_appearance_in_time() -> None:
    trace = read_trace({"at": [3, 1, 2], "key": ["x", "y", "x"], "lookup": ["b", "a", "a"]})
    assert trace.lookups == ("a", "b")
    assert trace.key.tolist() == [0, 1, 2]
    assert list(trace.keys[:]) == ["y", "x", "x"]
    assert trace.key_lookup.tolist() == [0, 0, 1]


def test_a_timestamp_column_with_a_zone_is_taken_and_one_without_is_not() -> None:
    times = np.array([1, 2], "datetime64[s]")
    trace = read_trace(pa.table({"at": pa.array(times, pa.timestamp("s", "UTC")), "key": [1, 2]}))
    assert trace.at.tolist() == [10**9, 2 * 10**9]
    with pytest.raises(TraceError, match="found a time without an offset; it must be a time with an offset"):
        read_trace(pa.table({"at": pa.array(times, pa.timestamp("s")), "key": [1, 2]}))


def test_the_arrays_of_a_trace_cannot_be_changed() -> None:
    with pytest.raises(ValueError, match="read-only"):
        read_trace({"at": [1], "key": ["a"]}).at[0] = 2


def test_all_wrong_columns_of_a_csv_are_named_with_their_lines(tmp_path: Path) -> None:
    path = written(
        tmp_path / "t.csv", 'at,key,size,op,found\n1,"a\nb",5,read,true\n\nnoon,c,-5,peek,yes\n2,d,x,read,\n'
    )
    problems = refused(path)
    assert problems[0].startswith(", line 5, column 'at': found 'noon'; it must be a time with an offset (RFC 3339)")
    assert ", line 5, column 'op': found 'peek'; it must be one of read, write" in problems[1]
    assert ", line 6, column 'size': found 'x'; it must be a size in whole bytes" in problems[2]
    assert ", line 5, column 'found': found 'yes'; it must be true, false, or nothing" in problems[3]


def test_a_negative_size_is_named(tmp_path: Path) -> None:
    (problem,) = refused(written(tmp_path / "t.csv", "at,key,size\n1,a,5\n2,b,-5\n3,c,-6\n"))
    assert problem.startswith(", line 3, column 'size': found -5") and problem.endswith("(and 1 more rows)")


def test_missing_columns_are_named_with_those_there_are(tmp_path: Path) -> None:
    problems = refused(written(tmp_path / "t.csv", "when,what\n1,2\n"))
    assert problems == [
        f": no column {name!r}; the file has when, what; "
        f'say what it is made of: columns.{name} = "{{{like}}}", for example'
        for name, like in (("at", "when"), ("key", "what"))
    ]


def test_rows_of_another_length_are_named_with_their_lines(tmp_path: Path) -> None:
    problems = refused(written(tmp_path / "t.csv", "at,key\n1,a\n2\n3,c,d\n"))
    assert problems == [
        ", line 3: 1 field; it must have 2, as the line of names",
        ", line 4: 3 fields; it must have 2, as the line of names",
    ]


def test_broken_json_lines_are_named(tmp_path: Path) -> None:
    lines = ['{"at": 1, "key": "a"}', "", '{"at": "noon", "key": "b"}', "{", '{"at": 2, "key": 7}', "[]"]
    problems = refused(written(tmp_path / "t.jsonl", "\n".join(lines)))
    assert problems[0] == ", line 3, column 'at': found \"noon\"; it must be of the same kind as in line 1"
    assert problems[1] == ", line 4: is not valid JSON; every line must be one object"
    assert problems[2] == ", line 6: is not an object; every line must be one object"


@pytest.mark.parametrize("text", ["null", "null{}", '{"at": 1, "key": "a"}null', '{"at": 1, "key": "a"}\n \n null'])
def test_a_null_where_an_object_belongs_is_named(tmp_path: Path, text: str) -> None:
    assert "every line must be one object" in refused(written(tmp_path / "t.jsonl", text))[0]


def test_a_key_that_looks_like_one_is_read(tmp_path: Path) -> None:
    assert list(read_trace(written(tmp_path / "t.jsonl", '{"at": 1, "key": "}null"}')).keys[:]) == ["}null"]


def test_a_negative_cost_in_json_and_parquet_is_named(tmp_path: Path) -> None:
    (problem,) = refused(written(tmp_path / "t.jsonl", '\n{"at": 1, "key": "a", "cost": -1}\n'))
    assert problem.startswith(", line 2, column 'cost': found -1")
    pq.write_table(pa.table({"at": [1], "key": ["a"], "cost": [-1]}), tmp_path / "t.parquet")
    assert refused(tmp_path / "t.parquet")[0].startswith(", row 1, column 'cost': found -1")


@pytest.mark.parametrize("name", ["t.csv", "t.csv.gz", "t.tsv.zst", "t.jsonl", "t.jsonl.bz2", "t.parquet", "t.arrow"])
@pytest.mark.parametrize("content", [b"", b"\x00\xff\xfe" * 50, b"PAR1 and no more", b"\x1f\x8b\x08 and no more"])
def test_a_file_that_is_something_else_gets_one_clear_answer(tmp_path: Path, name: str, content: bytes) -> None:
    (tmp_path / name).write_bytes(content)
    assert refused(tmp_path / name)


@pytest.mark.parametrize("name", ["t.tsv.gz", "t.tsv.bz2", "t.jsonl.zst"])
def test_a_packed_file_that_is_cut_short_is_refused(tmp_path: Path, name: str) -> None:
    rows = "\n".join(json.dumps({"at": i, "key": str(i * 7919)}) for i in range(5_000))
    lines = rows if "json" in name else "at\tkey\n" + "\n".join(f"{i}\t{i * 7919}" for i in range(5_000))
    content = packed(tmp_path / name, lines).read_bytes()
    (tmp_path / name).write_bytes(content[: len(content) // 2])
    (problem,) = refused(tmp_path / name)
    assert problem == ": cannot be read: Truncated compressed stream"


def test_a_broken_line_in_a_packed_file_is_named(tmp_path: Path) -> None:
    (problem,) = refused(packed(tmp_path / "t.tsv.zst", "at\tkey\n1\ta\nx\tb\n"))
    assert problem.startswith(", line 3, column 'at': ")
    (problem,) = refused(packed(tmp_path / "t.jsonl.gz", '{"at": 1, "key": "a"}\nnull\n'))
    assert problem.startswith(", line 2: is not an object")


def test_a_file_that_is_not_there_and_an_unknown_ending(tmp_path: Path) -> None:
    assert refused(tmp_path / "t.csv") == [": cannot be read: No such file or directory"]
    assert refused(tmp_path / "t.txt")[0].startswith(": its ending does not say the format; known are .csv")


def test_events_of_no_key_are_refused() -> None:
    with pytest.raises(TraceError, match="row 2, column 'key': found nothing"):
        read_trace({"at": [1, 2], "key": ["a", None]})
    with pytest.raises(TraceError, match="row 1, column 'key': found nothing"):
        read_trace({"at": [1], "key": pa.array([None], pa.string()), "op": ["preload"]})


def test_keys_in_the_look_up_column_are_found_out() -> None:
    many = [str(i) for i in range(10_001)]
    with pytest.raises(TraceError, match="does the column hold keys"):
        read_trace({"at": list(range(10_001)), "key": many, "lookup": many})


def test_only_the_ending_tells_tabs(tmp_path: Path) -> None:
    assert len(read_trace(written(tmp_path / "was.tsv.csv", "at,key\n1,a\n"))) == 1
    assert len(read_trace(packed(tmp_path / "T.TSV.ZST", "at\tkey\n1\ta\n"))) == 1


@pytest.mark.parametrize("packing", PACKINGS)
def test_a_large_packed_file_is_read_to_its_end(tmp_path: Path, packing: str) -> None:
    rows = "\n".join(f'{{"at": {i}, "key": "{i * 7919 % 100_003}"}}' for i in range(300_000))
    trace = read_trace(packed(tmp_path / f"t.jsonl{packing}", rows))
    assert (len(trace), int(trace.at[-1]), len(trace.keys)) == (300_000, 299_999, 100_003)


def test_a_line_end_in_quotes_is_part_of_its_value_wherever_the_file_is_divided(tmp_path: Path) -> None:
    """A file that is read in parallel is divided at line ends. 300,000 rows are several pieces."""
    keys = [f'a{number % 7}\n{number},b "c"' if number % 97 == 0 else str(number % 1000) for number in range(300_000)]
    with (tmp_path / "t.csv").open("w", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows([["at", "key"], *enumerate(keys)])
    trace = read_trace(tmp_path / "t.csv", at_unit="ns")
    assert len(trace) == 300_000
    assert [trace.keys[key] for key in trace.key[:3000].tolist()] == keys[:3000]
    assert sorted(set(keys)) == sorted(trace.keys[:])


def test_keys_named_by_rows_without_one_do_not_count() -> None:
    table = {"at": [1, 2, 3, 4], "op": ["clear", "read", "restart", "read"], "key": ["x", "y", "z", "x"]}
    trace = read_trace({**table, "lookup": ["l", "l", None, "l"]})
    assert list(trace.keys[:]) == ["y", "x"]
    assert trace.key.tolist() == [-1, 0, -1, 1]


def test_a_dictionary_in_any_order_gives_ids_by_first_appearance(tmp_path: Path) -> None:
    for values in (["unused", "b", "a"], ["b", "a", "b", "unused"]):
        keys = pa.DictionaryArray.from_arrays(pa.array([2, 1, 2, 1], pa.int8()), pa.array(values))
        table = pa.table({"at": [1, 2, 3, 4], "key": keys})
        pq.write_table(table, tmp_path / "t.parquet")
        for trace in (read_trace(table), read_trace(tmp_path / "t.parquet")):
            assert trace.key.tolist() == [0, 1, 0, 1]
            assert list(trace.keys[:]) == [values[2], values[1]]


def test_members_of_members_are_columns(tmp_path: Path) -> None:
    lines = [
        '{"at": 1, "msg": {"body": {"instrument": "QAB", "rows": 5}, "cost": 1.5}, "a.b": "x"}',
        '{"at": 2, "msg": {"body": {"instrument": "QGS"}}, "a.b": "y"}',
        '{"at": 3, "msg": {"body": {"instrument": "QZZ", "more": [1, {"deep": 2}]}, "cost": 2}, "a.b": "x"}',
    ]
    names = {"key": "{msg.body.instrument}{a.b}", "cost": "{msg.cost}", "size": "{msg.body.rows}"}
    trace = read_trace(written(tmp_path / "t.jsonl", "\n".join(lines)), columns=names, cost_unit="ms")
    assert list(trace.keys[:]) == ["QABx", "QGSy", "QZZx"]
    assert (trace.cost.tolist(), trace.size.tolist()) == ([1_500_000, -1, 2_000_000], [5, -1, -1])
    with pytest.raises(TraceError, match=r"no column 'msg.boy.instrument', which column 'key' is made of"):
        read_trace(tmp_path / "t.jsonl", columns={"key": "{msg.boy.instrument}"})
