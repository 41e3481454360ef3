"""Access logs: requests are read, failed ones are left out and counted."""

from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest

from vestigo import Trace, TraceError, read_trace
from vestigo.trace import Op

HEAD = '10.0.0.7 - - [02/Mar/2026:07:00:00 +0100] "'


def line(
    request: str, status: int = 200, size: int | str = 5, end: str = "", at: str = "02/Mar/2026:07:00:00 +0100"
) -> str:
    return f'10.0.0.7 - harbour master [{at}] "{request} HTTP/1.1" {status} {size}{end}'


def read(tmp_path: Path, *lines: str, **options: Any) -> Trace:
    path = tmp_path / "a.log"
    path.write_bytes("\n".join(lines).encode("latin-1"))
    return read_trace(path, **options)


def test_methods_are_reads_and_changes_and_sizes_are_of_values_given(tmp_path: Path) -> None:
    trace = read(
        tmp_path,
        line("GET /a?x=1", size=512),
        line("HEAD /a?x=1", size=0),
        line("PUT /a?x=1"),
        line("PATCH /a?x=1"),
        line("POST /a?x=1"),
        line("DELETE /a?x=1", size="-"),
        line("GET /a?x=1", 304, "-"),
        line("GET /b", size="-"),
    )
    assert [Op(op).name for op in trace.op] == ["READ", "READ", "WRITE", "WRITE", "WRITE", "REMOVE", "READ", "READ"]
    assert trace.size.tolist() == [512, -1, -1, -1, -1, -1, -1, 0]
    assert trace.lookups == ("requests",)
    assert list(trace.keys[:]) == ["/a?x=1", "/b"]
    assert set(trace.at.tolist()) == {1_772_431_200 * 10**9}


def test_nulls_are_found_out_and_failures_left_out(tmp_path: Path) -> None:
    trace = read(
        tmp_path,
        line("GET /a", 404),
        line("GET /a", 410),
        line("GET /a", 500),
        line("GET /a", 403),
        line("PUT /a", 404),
        line("DELETE /a", 503),
        line("OPTIONS /a"),
        line("GET /a"),
    )
    assert trace.found.tolist() == [0, 0, 1]
    assert [note.split(": ", 1)[1] for note in trace.notes] == [
        "left out 1 request: the method (OPTIONS) neither reads nor changes",
        "left out 4 requests: the status (403, 404, 500, 503) says that they failed",
    ]


@pytest.mark.parametrize(
    ("durations", "options", "ns"),
    [
        (["0.012", "1.5"], {}, [12_000_000, 1_500_000_000]),
        (["12", "1500"], {}, [12_000, 1_500_000]),
        (["12", "1500"], {"cost_unit": "ms"}, [12_000_000, 1_500_000_000]),
    ],
)
def test_a_duration_at_the_end_is_the_cost(tmp_path: Path, durations: list[str], options: Any, ns: list[int]) -> None:
    trace = read(tmp_path, *(line("GET /a", end=f' "-" "agent \\"x\\"" {one}') for one in durations), **options)
    assert trace.cost.tolist() == ns
    assert len(trace.notes) == (not options)


def test_malformed_lines_are_counted_and_the_first_ten_shown(tmp_path: Path) -> None:
    bad = [f"nonsense {number}" for number in range(12)]
    lines = [line("GET /a"), "", *bad, line("GET /b", at="31/Feb/2026:07:00:00 +0100"), line("GET /caf\xe9")]
    trace = read(tmp_path, *lines)
    assert list(trace.keys[:]) == ["/a", "/caf\\xe9"]
    (note,) = trace.notes
    assert "left out 13 malformed lines (line 3: 'nonsense 0'; line 4" in note
    assert "nonsense 9" in note and "nonsense 10" not in note
    with pytest.raises(TraceError, match="13 malformed lines"):
        read(tmp_path, *lines, strict=True)


def test_a_file_without_a_line_of_a_log_is_refused(tmp_path: Path) -> None:
    with pytest.raises(TraceError, match="no line is one of an access log"):
        read(tmp_path, "at,key", "1,a")


def test_patterns_can_tell_methods_apart(tmp_path: Path) -> None:
    trace = read(
        tmp_path,
        line("GET /vessels/7"),
        line("POST /vessels/7"),
        match="{method} {path}",
        patterns={"vessel": "GET /vessels/{id}", "change": "POST /vessels/{id}"},
    )
    assert trace.lookups == ("vessel", "change")


def test_a_packed_log_and_carriage_returns(tmp_path: Path) -> None:
    with pa.output_stream(tmp_path / "a.log.gz", compression="detect") as file:
        file.write(f"{line('GET /a')}\r\n{line('GET /b')}\r\n".encode())
    trace = read_trace(tmp_path / "a.log.gz")
    assert (len(trace), trace.notes) == (2, ())
