"""Requests and answers follow the OTLP/HTTP specification, whatever is sent."""

import gzip
import json
import tempfile
import threading
from pathlib import Path

import pytest
from google.protobuf.json_format import MessageToDict
from google.rpc.status_pb2 import Status
from hypothesis import given
from hypothesis import strategies as st
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import (
    ExportTraceServiceRequest,
    ExportTraceServiceResponse,
)

from tests.web.receiving import ask, recording_in, request_of
from vestigo import read_trace
from vestigo.trace import Intake
from vestigo.web.listen import recording as recordings
from vestigo.web.listen.bodies import LARGEST_BODY
from vestigo.web.listen.otlp import JSON, LONGEST_TEXT, MOST_ATTRIBUTES, PROTOBUF

KEYED = Intake(columns={"key": "{sign}"})


def as_json(request: bytes) -> bytes:
    """The JSON form of the specification, with ids in hex."""
    plain = MessageToDict(ExportTraceServiceRequest.FromString(request), use_integers_for_enums=True)
    for group in plain["resourceSpans"]:
        for span in (span for scoped in group["scopeSpans"] for span in scoped["spans"]):
            span["traceId"], span["spanId"] = "AB" * 16, "cd" * 8
    return json.dumps(plain, indent=1).encode()


def test_protobuf_and_json_packed_or_not_are_written_alike(tmp_path: Path) -> None:
    request = request_of({"sign": "Q1"}, {"sign": "Q2", "at": 5, "took": 3}, {"sign": "Q1", "at": 9})
    with recording_in(tmp_path, KEYED) as (app, recording):
        for body, kind in ((request, PROTOBUF), (as_json(request), JSON)):
            plain = ask(app, body, f"{kind}; charset=utf-8")
            packed = ask(app, gzip.compress(body[:70]) + gzip.compress(body[70:]), kind, content_encoding="gzip")
            assert plain == packed
            assert (plain.status, plain.body) == (200, b"{}" if kind == JSON else b"")
            assert plain.headers["content-type"] == kind
    trace = read_trace(tmp_path)
    assert recording.heard.written == recording.heard.spans == len(trace) == 12
    assert sorted(trace.keys[key] for key in trace.key) == ["Q1"] * 8 + ["Q2"] * 4
    assert sorted(trace.cost.tolist()) == [1_000_000] * 8 + [3_000_000] * 4
    assert (trace.lookups, trace.nodes) == (("load",), ("quay-1",))
    assert sorted(trace.scopes) == ["0" * 31 + "1", "ab" * 16]


@pytest.mark.parametrize(
    ("body", "kind", "headers", "status"),
    [
        (b"\xff\xff\xff", PROTOBUF, {}, 400),
        (b"{", JSON, {}, 400),
        (b"[]", JSON, {}, 400),
        (b'{"resourceSpans": [{"scopeSpans": [{"spans": [{"kind": "three"}]}]}]}', JSON, {}, 400),
        (b'{"resourceSpans": [{"scopeSpans": [{"spans": [{"name": "\\ud800"}]}]}]}', JSON, {}, 400),
        (b'{"resourceSpans": ' + b"[" * 100_000, JSON, {}, 400),
        (b"", "text/plain", {}, 415),
        (b"", PROTOBUF, {"content_encoding": "br"}, 415),
        (b"no gzip", PROTOBUF, {"content_encoding": "gzip"}, 400),
        (gzip.compress(b"cut short", mtime=0)[:-9], PROTOBUF, {"content_encoding": "gzip"}, 400),
        (gzip.compress(bytes(LARGEST_BODY + 1), mtime=0), PROTOBUF, {"content_encoding": "gzip"}, 413),
        (bytes(LARGEST_BODY + 1), PROTOBUF, {}, 413),
    ],
)
def test_what_is_no_request_is_refused_with_a_status(
    tmp_path: Path, body: bytes, kind: str, headers: dict[str, str], status: int
) -> None:
    with recording_in(tmp_path) as (app, recording):
        answer = ask(app, body, kind, **headers)
    assert answer.status == status
    said = json.loads(answer.body)["message"] if kind == JSON else Status.FromString(answer.body).message
    assert len(said.split()) > 3
    assert recording.heard.spans == 0
    assert list(tmp_path.iterdir()) == []


@given(st.data())
def test_whatever_is_sent_is_answered_and_counted(data: st.DataObject) -> None:
    spans = [{"sign": "Q1", "name": "a"}, {"db.query.text": "SELECT ?", "db.query.parameter.0": "x", "kind": 1}]
    request = request_of(*spans, {"http.request.method": "GET", "url.full": "http://[::", "http.status_code": 9})
    body, kind = data.draw(st.sampled_from([(request, PROTOBUF), (as_json(request), JSON)]))
    mutated = bytearray(body)
    for _ in range(data.draw(st.integers(1, 6))):
        mutated[data.draw(st.integers(0, len(mutated) - 1))] = data.draw(st.integers(0, 255))
    with tempfile.TemporaryDirectory() as folder:
        with recording_in(Path(folder), KEYED) as (app, recording):
            good = ask(app, request)
            answer = ask(app, bytes(mutated), kind)
        assert (good.status, answer.status in (200, 400)) == (200, True)
        assert recording.heard.written >= 1
        assert recording.heard.dropped == 0
        assert read_trace(folder).keys[0] == "Q1"


def test_reasons_do_not_pile_up(tmp_path: Path) -> None:
    statements = [{"db.query.text": f"{first}{second}DO x"} for first in "ABCDEFGHIJ" for second in "KLMNOPQRST"]
    with recording_in(tmp_path) as (app, recording):
        for one in statements:
            ask(app, request_of(one))
            recording.flush()
    left_out = recording.heard.left_out
    assert (sum(left_out.values()), len(left_out), left_out["other reasons"]) == (100, 51, 50)


def test_an_intake_that_refuses_costs_its_spans_and_no_more(tmp_path: Path) -> None:
    intake = Intake(patterns={"vessel": "vessel.{}"}, match="{name}", strict=True)
    with recording_in(tmp_path, intake) as (app, recording):
        for name in ("other", "vessel.read"):
            assert ask(app, request_of({"name": name})).status == 200
            recording.flush()
    assert recording.heard.written == 1
    assert [why.partition(":")[0] for why in recording.heard.left_out] == ["nothing can be made of them"]


def test_other_paths_and_methods_are_not_there(tmp_path: Path) -> None:
    with recording_in(tmp_path) as (app, _):
        assert ask(app, b"", path="/v1/metrics").status == 404
        assert ask(app, b"", method="GET").status == 405


def test_with_a_token_only_its_bearers_are_answered(tmp_path: Path) -> None:
    with recording_in(tmp_path, KEYED, token="a long token") as (app, recording):
        refused = [ask(app, request_of({"sign": "Q"}), **given) for given in ({}, {"authorization": "Bearer another"})]
        taken = ask(app, request_of({"sign": "Q"}), authorization="Bearer a long token")
    assert [answer.status for answer in (*refused, taken)] == [401, 401, 200]
    assert refused[0].headers["www-authenticate"] == "Bearer"
    assert recording.heard.written == 1


def test_spans_beyond_the_limits_are_refused_and_the_others_are_kept(tmp_path: Path) -> None:
    many = {f"a{number}": 1 for number in range(MOST_ATTRIBUTES + 1)}
    spans = ({"sign": "x" * (LONGEST_TEXT + 1)}, {"sign": "Q"}, {"sign": "Q", **many}, {"sign": "Q", "took": -1})
    with recording_in(tmp_path, KEYED) as (app, recording):
        answer = ask(app, request_of(*spans))
    partial = ExportTraceServiceResponse.FromString(answer.body).partial_success
    assert (answer.status, partial.rejected_spans) == (200, 3)
    assert partial.error_message == "times or attributes are out of range"
    assert (recording.heard.written, recording.heard.refused) == (1, 3)


def test_what_finds_the_buffer_full_is_dropped_and_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recordings, "MOST_WAITING_BYTES", 0)
    monkeypatch.setattr(recordings, "ENOUGH", 2)
    may_write = threading.Event()
    with recording_in(tmp_path, KEYED) as (app, recording):
        append = recording._parts.append
        monkeypatch.setattr(recording._parts, "append", lambda lines: may_write.wait(10) and append(lines))
        request = request_of({"sign": "Q"}, {"sign": "R"})
        first, second = ask(app, request), ask(app, as_json(request), JSON)
        may_write.set()
    assert (first.status, first.body) == (200, b"")
    assert json.loads(second.body)["partialSuccess"] == {
        "rejectedSpans": "2",
        "errorMessage": "too many spans wait to be written; these spans are dropped",
    }
    assert (recording.heard.written, recording.heard.dropped) == (2, 2)


def test_a_full_disk_drops_and_counts(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        monkeypatch.setattr(recording._parts, "append", lambda _: False)
        assert ask(app, request_of({"sign": "Q"}, {"sign": "R"})).status == 200
    assert (recording.heard.written, recording.heard.dropped) == (0, 2)
