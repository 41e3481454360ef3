"""Damaged files give a TraceError or are read. Nothing else comes out of a reader."""

import contextlib
import json
import signal
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.trials.cases import bounded
from vestigo import Rules, TraceError, read_trace, replay, synth, write_trace

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


def as_packed_csv(path: Path) -> None:
    as_csv(path.with_suffix(""))
    with pa.output_stream(path, compression="detect") as file:
        file.write(path.with_suffix("").read_bytes())


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


def as_packed_arrow(path: Path) -> None:
    table = pa.Table.from_pylist(ROWS)
    with pa.ipc.new_file(path, table.schema, options=pa.ipc.IpcWriteOptions(compression="zstd")) as file:
        file.write_table(table)


def as_packed_parquet(path: Path) -> None:
    pq.write_table(pa.Table.from_pylist(ROWS), path, compression="zstd")


def as_prepared(path: Path) -> None:
    write_trace(read_trace(pa.Table.from_pylist(ROWS)), path)


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
        ("z.arrow", as_packed_arrow),
        ("z.parquet", as_packed_parquet),
        ("t.csv.bz2", as_packed_csv),
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
    told: Sequence[str] = ()
    with bounded():
        try:
            trace = read_trace(path, columns={"key": "{key}"} if "otlp" in name else {})
            list(trace.keys[:])
            replay(trace, Rules(max_entries=2))
        except TraceError as error:
            told = error.problems
    assert all(str(path) in problem for problem in told)


@pytest.mark.parametrize(("name", "write"), [("z.arrow", as_packed_arrow), ("z.parquet", as_packed_parquet)])
def test_no_number_in_a_packed_file_ends_the_process(tmp_path: Path, name: str, write: Callable[[Path], None]) -> None:
    write(tmp_path / name)
    content = (tmp_path / name).read_bytes()
    for at in range(0, len(content) - 4, 4):
        (tmp_path / name).write_bytes(content[:at] + b"AAAA" + content[at + 4 :])
        with contextlib.suppress(TraceError):
            list(read_trace(tmp_path / name).keys[:])


@pytest.mark.parametrize(("at", "number", "width"), [(904, 2**62, 8), (912, 65_536, 4), (912, 0, 4), (3688, 0, 4)])
def test_what_reaches_beyond_a_prepared_file_is_not_trusted(tmp_path: Path, at: int, number: int, width: int) -> None:
    """Offsets in the dictionary of its ops; a column without a name."""
    as_prepared(tmp_path / "p.arrow")
    content = bytearray((tmp_path / "p.arrow").read_bytes())
    content[at : at + width] = number.to_bytes(width, "little")
    (tmp_path / "p.arrow").write_bytes(content)
    with pytest.raises(TraceError, match=r"p.arrow: is damaged .*; prepare it again from its source"):
        read_trace(tmp_path / "p.arrow")


def write_packed(path: Path) -> None:
    table = pa.table({"at": pa.array([5] * 400_000), "key": pa.array([7] * 400_000)})
    if path.suffix == ".parquet":
        pq.write_table(table, path, compression="zstd")
        return
    options = pa.ipc.IpcWriteOptions(compression=pa.Codec("zstd", compression_level=19))
    with pa.ipc.new_file(path, table.schema, options=options) as file:
        file.write_table(table)


@pytest.mark.parametrize("name", ["t.parquet", "t.arrow"])
def test_packed_columns_unfold_to_no_more_than_is_stated(tmp_path: Path, name: str) -> None:
    write_packed(tmp_path / name)
    beyond = r"unpacks to more than 1\.00 MiB; if that is right, state unfolds_to"
    with pytest.raises(TraceError, match=beyond):
        read_trace(tmp_path / name, unfolds_to="1 MiB")
    assert len(read_trace(tmp_path / name)) == 400_000
    content = (tmp_path / name).read_bytes()
    (tmp_path / name).write_bytes(content.replace(b"\x28\xb5\x2f\xfd", b"\x28\xb5\x2f\xfe"))  # nothing can be unpacked
    with pytest.raises(TraceError, match=beyond):
        read_trace(tmp_path / name, unfolds_to="1 MiB")
    with pytest.raises(TraceError, match="cannot be read"):
        read_trace(tmp_path / name)


def test_a_packed_buffer_that_lies_of_its_size_is_refused(tmp_path: Path) -> None:
    write_packed(tmp_path / "t.arrow")
    content = (tmp_path / "t.arrow").read_bytes()
    true = (400_000 * 8).to_bytes(8, "little")
    for says, why in ((100, "cannot be read"), (400_001 * 8, "cannot be read"), (2**40, "unpacks to more than")):
        (tmp_path / "t.arrow").write_bytes(content.replace(true, says.to_bytes(8, "little")))
        with pytest.raises(TraceError, match=why):
            read_trace(tmp_path / "t.arrow")


def test_a_page_whose_size_is_of_another_kind_has_none(tmp_path: Path) -> None:
    """Other readers skip such a field, so it may hold anything."""
    write_packed(tmp_path / "t.parquet")
    content = bytearray((tmp_path / "t.parquet").read_bytes())
    assert content[4::2][:2] == b"\x15\x15"  # two fields of 32 bits: what page it is, and its size
    content[6] = 0x16
    (tmp_path / "t.parquet").write_bytes(content)
    with pytest.raises(TraceError, match="what it says of its pages makes no sense"):
        read_trace(tmp_path / "t.parquet")


def test_a_file_that_is_cut_while_it_is_in_use_ends_in_a_sentence(tmp_path: Path) -> None:
    write_trace(synth(reads=20_000, keys=100), tmp_path / "p.arrow")
    path = tmp_path / "p.arrow"
    sentence = f"vestigo: {path}: was cut while it was in use; run it again on the whole file\n"
    cut = f"trace = read_trace({str(path)!r}); os.truncate({str(path)!r}, 5000); print(trace.at.sum())"
    imports = "import os; from vestigo import read_trace; from vestigo.compiled import texts"
    whole = path.read_bytes()
    for before, status, said in (("", -signal.SIGBUS, ""), ("texts.end_with(2)", 2, sentence)):
        path.write_bytes(whole)
        done = subprocess.run([sys.executable, "-c", f"{imports}\n{before}\n{cut}"], capture_output=True, text=True)
        assert (done.returncode, done.stdout, done.stderr) == (status, "", said)
