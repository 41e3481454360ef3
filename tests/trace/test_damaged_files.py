"""Damaged files get a TraceError or are read; nothing else comes out of a reader."""

import json
from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vestigo import Rules, Trace, TraceError, read_trace, replay, write_trace

ROWS = [
    {"at": 10**18 + i * 7, "key": f"k{i % 3}", "size": i, "cost": i * 1000, "found": i % 4 > 0, "version": i % 5}
    for i in range(20)
]


def as_csv(path: Path) -> None:
    lines = [",".join(ROWS[0])] + [",".join(map(str, row.values())) for row in ROWS]
    path.write_text("\n".join(lines))


def as_packed_tsv(path: Path) -> None:
    lines = ["\t".join(ROWS[0])] + ["\t".join(map(str, row.values())) for row in ROWS]
    with pa.output_stream(path, compression="detect") as file:
        file.write("\n".join(lines).encode())


def as_json(path: Path) -> None:
    path.write_text("\n".join(map(json.dumps, ROWS)))


def as_parquet(path: Path) -> None:
    pq.write_table(pa.Table.from_pylist(ROWS), path)


def as_packed_json(path: Path) -> None:
    with pa.output_stream(path, compression="detect") as file:
        file.write("\n".join(map(json.dumps, ROWS)).encode())


def as_arrow(path: Path) -> None:
    table = pa.Table.from_pylist(ROWS)
    table = table.set_column(1, "key", table["key"].dictionary_encode())
    with pa.ipc.new_file(path, table.schema) as file:
        file.write_table(table)


def as_prepared(path: Path) -> None:
    write_trace(Trace.from_table(pa.Table.from_pylist(ROWS)), path)


def as_log(path: Path) -> None:
    clock = "02/Mar/2026:07:00:%02d +0100"
    path.write_text(
        "\n".join(f'::1 - - [{clock % i}] "GET /k{i % 3} HTTP/1.1" 200 {i} "-" "x" 0.{i}' for i in range(20))
    )


def as_spans(path: Path) -> None:
    spans = [
        {
            "traceId": "5b8e",
            "name": "v",
            "startTimeUnixNano": str(row["at"]),
            "endTimeUnixNano": str(row["at"] + row["cost"]),
            "attributes": [{"key": "key", "value": {"stringValue": row["key"]}}],
        }
        for row in ROWS
    ]
    lines = [json.dumps({"resourceSpans": [{"scopeSpans": [{"spans": spans[i : i + 5]}]}]}) for i in range(0, 20, 5)]
    path.write_text("\n".join(lines))


@pytest.mark.parametrize(
    ("name", "write"),
    [
        ("t.log", as_log),
        ("t.otlp", as_spans),
        ("t.tsv.gz", as_packed_tsv),
        ("p.arrow", as_prepared),
        ("t.csv", as_csv),
        ("t.jsonl", as_json),
        ("t.jsonl.zst", as_packed_json),
        ("t.parquet", as_parquet),
        ("t.arrow", as_arrow),
    ],
)
@given(data=st.data())
@settings(suppress_health_check=list(HealthCheck), deadline=None)
def test_a_damaged_file_is_read_or_refused(
    tmp_path_factory: pytest.TempPathFactory, name: str, write: Callable[[Path], None], data: st.DataObject
) -> None:
    path = tmp_path_factory.mktemp("damaged") / name
    write(path)
    content = bytearray(path.read_bytes())
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(content) - 1))
        kind = data.draw(st.sampled_from(["change", "cut", "insert", "drop"]))
        if kind == "change":
            content[at] = data.draw(st.integers(0, 255))
        elif kind == "cut":
            content = content[: at + 1]
        elif kind == "insert":
            content[at:at] = data.draw(st.sampled_from([b"\n", b",", b'"', b"\x00", b"-", b"9" * 20, b"{", b"null"]))
        else:
            content = content[:at] + content[at + 5 :] or content
    path.write_bytes(content)
    try:
        trace = read_trace(path, columns={"key": "{key}"} if "otlp" in name else {})
        list(trace.keys[:])
        replay(trace, Rules(max_entries=2))
    except TraceError as error:
        told = error.problems
    else:
        told = ()
    assert all(str(path) in problem for problem in told)
