"""Small files that unfold to more than any memory are refused in a sentence, quickly and in little memory."""

import gzip
import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from tests.cli.calling import VESTIGO
from tests.slowness import seconds
from vestigo import TraceError, read_trace, synth, write_trace
from vestigo.trace.formats import packed

MOST_BYTES = 1_000 << 20
MOST_SECONDS = 10
# A small process between us: what a child is said to have used at most begins with its parent's memory.
MEASURED = """
import os, subprocess, sys
process = subprocess.Popen(sys.argv[2:])
_, status, used = os.wait4(process.pid, 0)
open(sys.argv[1], "w").write(str(used.ru_maxrss << 10))
os._exit(os.waitstatus_to_exitcode(status))
"""


def packed_file(path: Path, begin: bytes, again: bytes, times: int) -> None:
    with gzip.open(path, "wb", compresslevel=1) as file:
        file.write(begin)
        block = again * 10_000
        for _ in range(times // 10_000):
            file.write(block)


def null_rows(path: Path) -> None:
    columns = {name: pa.nulls(1 << 28) for name in ("at", "key")}
    with pa.ipc.new_file(path, pa.table(columns).schema) as file:
        file.write_table(pa.table(columns))


def null_rows_prepared(path: Path) -> None:
    table = pa.table({name: pa.nulls(1 << 28) for name in ("at", "key", "op", "lookup")})
    table = table.replace_schema_metadata({"vestigo": "prepared trace, 1"})
    with pa.ipc.new_file(path, table.schema) as file:
        file.write_table(table)


def packed_prepared(path: Path) -> None:
    """A prepared file whose buffers are packed: 1.25 GiB of zeros."""
    table = pa.table({name: pa.array(np.zeros(5 << 24, np.int64)) for name in ("at", "key")})
    table = table.replace_schema_metadata({"vestigo": "prepared trace, 1"})
    with pa.ipc.new_file(path, table.schema, options=pa.ipc.IpcWriteOptions(compression="zstd")) as file:
        file.write_table(table)


def equal_rows(path: Path) -> None:
    table = pa.table({"at": pa.array(np.full(1 << 20, 5)), "key": pa.array(np.full(1 << 20, 7, np.int8))})
    with pq.ParquetWriter(path, table.schema, compression="zstd") as file:
        for _ in range(30):
            file.write_table(table, row_group_size=1 << 20)


FILES: dict[str, tuple[Callable[[Path], None], str]] = {
    "nulls.arrow": (null_rows, "has 268,435,456 rows or more, which take 12.5 GiB when they are read"),
    "prepared.arrow": (null_rows_prepared, "has 268,435,456 rows or more"),
    "packed.arrow": (packed_prepared, "unpacks to more than 1.00 GiB"),
    "rows.csv.gz": (lambda path: packed_file(path, b"at,key\n", b"5,a\n", 30_000_000), "rows or more, which take"),
    "rows.jsonl.gz": (
        lambda path: packed_file(path, b"", b'{"at":5,"key":1}\n', 25_000_000),
        "rows or more, which take",
    ),
    "newlines.csv.gz": (lambda path: packed_file(path, b"", b"\n", 300_000_000), "begins with 1.00 MiB of empty lines"),
    "later.csv.gz": (
        lambda path: packed_file(path, b"at,key\n", b"\n", 300_000_000),
        "empty lines one after the other",
    ),
    "later.jsonl.gz": (lambda path: packed_file(path, b'{"at":1,"key":"a"}\n', b"\n", 300_000_000), "rows or more"),
    "newlines.log.gz": (lambda path: packed_file(path, b"", b"\r\n", 150_000_000), "begins with 1.00 MiB of empty"),
    "spaces.otlp.gz": (lambda path: packed_file(path, b'{"resourceSpans":[]}\n', b"\n", 300_000_000), "rows or more"),
    "spans.otlp.gz": (
        lambda path: packed_file(
            path, b"", b'{"resourceSpans":[{"scopeSpans":[{"spans":[' + b"{}," * 9999 + b"{}]}]}]}\n", 10_000
        ),
        "objects or more, which take",
    ),
    "equal.parquet": (equal_rows, "has 31,457,280 rows or more, which take 1.46 GiB when they are read"),
}


@pytest.mark.parametrize("name", FILES)
def test_what_it_would_take_is_said_before_it_is_taken(tmp_path: Path, name: str) -> None:
    write, said = FILES[name]
    write(tmp_path / name)
    begun = time.monotonic()
    command = [sys.executable, "-S", "-c", MEASURED, "used_bytes", *VESTIGO, "survey", name]
    process = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (process.returncode, process.stdout) == (2, "")
    assert process.stderr.startswith(f"vestigo: {name}: ")
    assert said in process.stderr
    assert process.stderr.count("\n") == 1
    assert time.monotonic() - begun < seconds(MOST_SECONDS)
    assert 10 << 20 < int((tmp_path / "used_bytes").read_text()) < MOST_BYTES


def test_what_the_sentence_advises_is_taken(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(packed, "_ROW_BYTES", 1 << 20)
    packed_file(tmp_path / "t.csv.gz", b"at,key\n", b"5,a\n", 10_000)
    with pytest.raises(TraceError, match=r"state unfolds_to \(--intake unfolds_to=(\d+GiB)\)") as raised:
        read_trace(tmp_path / "t.csv.gz")
    advised = str(raised.value).split("unfolds_to=")[1].removesuffix(")")
    assert len(read_trace(tmp_path / "t.csv.gz", unfolds_to=advised)) == 10_000
    packed_file(tmp_path / "wrong.csv.gz", b"at,key\n", b"5,a\n", 10_000)
    with gzip.open(tmp_path / "wrong.csv.gz", "ab") as file:
        file.write(b"x,a\n")
    with pytest.raises(TraceError, match="line 10002"):  # looking for the place does not stop at the limit
        read_trace(tmp_path / "wrong.csv.gz", unfolds_to=advised)


def test_a_large_file_may_take_more(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """200 times its own size, but no more than half of the memory."""
    (tmp_path / "t").write_bytes(bytes(100 << 20))
    assert packed.most_unfolded(tmp_path / "t", packed.LIMITS) == min(200 * (100 << 20), packed.memory_bytes() // 2)
    monkeypatch.setattr(packed, "memory_bytes", lambda: 4 << 30)
    assert packed.most_unfolded(tmp_path / "t", packed.LIMITS) == 2 << 30
    assert packed.most_unfolded(tmp_path / "t", packed.Limits(unfolds_to=8 << 30)) == 8 << 30


def test_empty_lines_between_rows_are_no_harm(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(b"\n" * 1000 + b"at,key\n" + b"\n" * 1000 + b"5,a\n\n\n6,b\n")
    assert read_trace(tmp_path / "t.csv").at.tolist() == [5, 6]


def test_too_little_memory_is_one_sentence_for_a_sound_file(tmp_path: Path) -> None:
    """The address space is limited so far that the program starts, and then a step further each time."""
    write_trace(synth(2_000_000, keys=300_000), tmp_path / "t.arrow")
    statuses = []
    for verb, limit in ((["survey"], 750), (["replay", "--rules", "max_entries=100"], 750), (["survey"], 950)):
        done = subprocess.run(
            [*VESTIGO, verb[0], "t.arrow", *verb[1:]],
            cwd=tmp_path,
            capture_output=True,
            text=True,
            timeout=60,
            env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "ARROW_DEFAULT_MEMORY_POOL": "system"},
            preexec_fn=lambda limit=limit: resource.setrlimit(resource.RLIMIT_AS, (limit << 20, limit << 20)),
        )
        statuses.append(done.returncode)
        assert "Traceback" not in done.stderr, done.stderr
        assert "damaged" not in done.stderr
        if done.returncode == 2:
            assert done.stderr.startswith(
                ("vestigo: memory ran out (", "vestigo: t.arrow: is too large for the memory")
            )
            assert done.stdout == ""
    assert 2 in statuses


@pytest.mark.parametrize(
    "error", [MemoryError(), pa.ArrowMemoryError("malloc"), RuntimeError("can't start new thread")]
)
def test_a_reader_that_lacks_memory_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, error: Exception) -> None:
    write_trace(synth(100), tmp_path / "t.csv")
    write_trace(synth(100), tmp_path / "t.arrow")

    def lack(*_: object) -> None:
        raise error

    monkeypatch.setattr("vestigo.trace.reading.read.check_columns", lack)
    monkeypatch.setattr("vestigo.trace.formats.prepared._trace", lack)
    for name in ("t.csv", "t.arrow"):
        if name == "t.csv" or isinstance(error, MemoryError):
            with pytest.raises(MemoryError, match="is too large for the memory that is left"):
                read_trace(tmp_path / name)


def test_a_defect_is_not_taken_for_too_little_memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fail(*_: object) -> None:
        raise RuntimeError("something else")

    write_trace(synth(100), tmp_path / "t.csv")
    monkeypatch.setattr("vestigo.trace.reading.read.check_columns", fail)
    with pytest.raises(RuntimeError, match="something else"):
        read_trace(tmp_path / "t.csv")


@pytest.mark.parametrize("encoding", ["DELTA_BYTE_ARRAY", "DELTA_LENGTH_BYTE_ARRAY", "PLAIN"])
@pytest.mark.parametrize("rows", [0, 1, 5000])
def test_texts_of_parquet_are_read_however_they_are_encoded(tmp_path: Path, encoding: str, rows: int) -> None:
    keys = [f"vessel/{number % 70}" if number % 9 else None for number in range(1, rows + 1)]
    table = pa.table(
        {"key": pa.array(keys, pa.string()), "op": ["read" if key else "restart" for key in keys], "at": range(rows)}
    )
    others = dict.fromkeys(("op", "at"), "PLAIN")
    pq.write_table(table, tmp_path / "t.parquet", use_dictionary=False, column_encoding={"key": encoding, **others})
    trace = read_trace(tmp_path / "t.parquet")
    assert [None if key < 0 else trace.keys[key] for key in trace.key] == keys


def test_texts_that_repeat_a_long_beginning_unfold_within_bounds(tmp_path: Path) -> None:
    texts = pa.table({"key": ["x" * 1_000_000] * 600, "at": range(600)})
    kinds = {"key": "DELTA_BYTE_ARRAY", "at": "PLAIN"}
    pq.write_table(texts, tmp_path / "t.parquet", use_dictionary=False, column_encoding=kinds, compression="zstd")
    assert (tmp_path / "t.parquet").stat().st_size < 10_000
    assert len(read_trace(tmp_path / "t.parquet").keys) == 1


@pytest.mark.parametrize("kind", [pa.binary(), pa.binary(1000), pa.list_(pa.string()), pa.struct([("a", pa.string())])])
def test_columns_of_bytes_and_lists_are_refused_unread(tmp_path: Path, kind: pa.DataType) -> None:
    value = {"binary": b"x" * 1000, "list": ["a"], "struct": {"a": "b"}}[
        str(kind).partition("<")[0].partition("[")[0].removeprefix("fixed_size_")
    ]
    pq.write_table(pa.table({"at": [1], "key": pa.array([value], kind)}), tmp_path / "t.parquet")
    with pytest.raises(TraceError, match=r"found a column of .*; it must be text, numbers or times"):
        read_trace(tmp_path / "t.parquet")
