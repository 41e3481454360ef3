"""A time keeps every digit that was written, in every format."""

import json
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo import TraceError, read_trace

seconds = st.tuples(st.integers(1_000_000_000, 2_000_000_000), st.integers(0, 10**9 - 1))


@given(st.lists(seconds, min_size=1, max_size=8), st.integers(0, 9))
def test_csv_and_json_lines_give_the_same_nanoseconds(
    tmp_path_factory: pytest.TempPathFactory, times: list[tuple[int, int]], places: int
) -> None:
    folder = tmp_path_factory.mktemp("times")
    written = [f"{whole}.{part:09}"[: 11 + places].rstrip(".") for whole, part in sorted(times)]
    (folder / "t.csv").write_text("at,key,cost\n" + "".join(f"{one},a,{one}\n" for one in written))
    (folder / "t.jsonl").write_text("".join(f'{{"at": {one}, "key": "a", "cost": {one}}}\n' for one in written))
    exact = [int(one.replace(".", "").ljust(19, "0")) for one in written]
    for name in ("t.csv", "t.jsonl"):
        trace = read_trace(folder / name, at_unit="s", cost_unit="s")
        assert (trace.at.tolist(), trace.cost.tolist()) == (exact, exact), name


def test_a_double_means_the_digits_that_it_was_written_with(tmp_path: Path) -> None:
    at = [1772445600.1, 1772445600.25, 1772445600.123457]
    pq.write_table(pa.table({"at": sorted(at), "key": ["a"] * 3, "cost": [1e-7, 0.1, 2.5]}), tmp_path / "t.parquet")
    (tmp_path / "t.csv").write_text(
        "at,key,cost\n1772445600.1,a,0.0000001\n1772445600.123457,a,0.1\n1772445600.25,a,2.5\n"
    )
    for name in ("t.parquet", "t.csv"):
        trace = read_trace(tmp_path / name, at_unit="s", cost_unit="s")
        assert trace.at.tolist() == [1772445600100000000, 1772445600123457000, 1772445600250000000]
        assert trace.cost.tolist() == [100, 10**8, 25 * 10**8]


@pytest.mark.parametrize("ending", ["jsonl", "otlp"])
def test_a_line_that_is_nested_too_deep_is_refused(tmp_path: Path, ending: str) -> None:
    """This holds also for a column that nobody wants, because the reader below would crash."""
    deep = '{"a":' * 50_000 + "1" + "}" * 50_000
    fine = json.dumps({"at": 1, "key": "a", "more": [[[{}]]] * 3})
    path = tmp_path / f"t.{ending}"
    path.write_text(f'{fine}\n{{"at": 2, "key": "[{{", "deep": {deep}}}\n')
    with pytest.raises(TraceError, match=r"line 2: is nested more than 100 deep; no trace needs that, so leave it out"):
        read_trace(path)


@pytest.mark.parametrize("name", ["t.csv.gz", "t.jsonl.gz", "t.log.zst", "t.otlp.bz2", "t.tsv.zst"])
@pytest.mark.parametrize("content", [b"x" * (17 << 20), b"x\n" * (2 << 20)])
def test_a_small_file_that_unfolds_to_a_large_one_is_refused(tmp_path: Path, name: str, content: bytes) -> None:
    path = tmp_path / name
    with pa.output_stream(path, compression="detect") as file:
        file.write((b"at\tkey\n1\ta\n" if "tsv" in name else b"at,key\n1,a\n") + content)
    too_much = r"(unpacks to more than|rows or more, which take) .* state unfolds_to"
    with pytest.raises(TraceError, match=rf"{too_much}|is longer than .* state longest_line"):
        read_trace(path, unfolds_to="1 MiB")


def test_a_long_line_is_refused_until_it_is_said_to_be_meant(tmp_path: Path) -> None:
    for name, text in {
        "t.jsonl": '{"at": 1, "key": "%s"}\n',
        "t.csv": "at,key\n1,%s\n",
        "t.log": '::1 - - [02/Mar/2026:07:00:00 +0100] "GET /%s HTTP/1.1" 200 5\n',
    }.items():
        (tmp_path / name).write_text(text % ("k" * (17 << 20)))
        with pytest.raises(TraceError, match=r"MiB.* state longest_line"):
            read_trace(tmp_path / name)
        assert len(read_trace(tmp_path / name, longest_line="40 MiB")) == 1
