"""Every span that came in is written, left out, refused or dropped, whatever goes wrong on the way."""

import itertools
import json
import os
import time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import (
    ExportTraceServiceRequest,
    ExportTraceServiceResponse,
)

from tests.web.receiving import ask, listening, post, recording_in, request_of
from vestigo import read_trace
from vestigo.recording.accounts import Accounts
from vestigo.recording.heard import Heard
from vestigo.trace import Intake
from vestigo.web.listen.otlp import JSON
from vestigo.web.listen.recording import Recording

KEYED = Intake(columns={"key": "{sign}"})


def sums_up(heard: Heard) -> bool:
    return heard.waiting == 0 and heard.spans == heard.written + heard.not_asked_for + heard.refused + heard.dropped + (
        sum(heard.left_out.values())
    )


def with_an_empty_resource(sign: str) -> bytes:
    """A span, and after it a resource that has an attribute which is wanted, and no spans."""
    request = ExportTraceServiceRequest.FromString(request_of({"sign": sign}))
    attribute = request.resource_spans.add().resource.attributes.add()
    attribute.key, attribute.value.string_value = "service.instance.id", "quay-2"
    return request.SerializeToString()


def test_a_resource_without_spans_costs_nothing(tmp_path: Path) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        for sign in ("Q1", "Q2"):
            assert ask(app, with_an_empty_resource(sign)).status == 200
            recording.flush()
    assert recording.heard.written == 2
    assert read_trace(tmp_path).nodes == ("quay-1",)


def test_a_file_of_spans_may_end_with_a_resource_without_any(tmp_path: Path) -> None:
    span = {"traceId": "5b", "name": "v", "startTimeUnixNano": "5", "endTimeUnixNano": "6"}
    node = {"attributes": [{"key": "service.instance.id", "value": {"stringValue": "quay-1"}}]}
    groups = [{"scopeSpans": [{"spans": [span]}]}, {"resource": node}]
    (tmp_path / "t.otlp").write_text(json.dumps({"resourceSpans": groups}))
    trace = read_trace(tmp_path / "t.otlp", columns={"key": "{name}"})
    assert (len(trace), trace.nodes) == (1, ())


@pytest.mark.parametrize("number", [2**63, 2**31, -1, 10**300])
@pytest.mark.parametrize("field", ["kind", "code"])
def test_a_number_that_no_span_has_costs_one_span(tmp_path: Path, field: str, number: int) -> None:
    good = {"name": "v", "startTimeUnixNano": "5", "endTimeUnixNano": "6"}
    bad = {**good, "kind": number} if field == "kind" else {**good, "status": {"code": number}}
    body = json.dumps({"resourceSpans": [{"scopeSpans": [{"spans": [good, bad]}]}]}).encode()
    with recording_in(tmp_path, Intake(columns={"key": "{name}"})) as (app, recording):
        answer = ask(app, body, JSON)
    assert json.loads(answer.body)["partialSuccess"]["rejectedSpans"] == "1"
    assert (recording.heard.written, recording.heard.refused, recording.heard.left_out) == (1, 1, {})


class Nonsense(Exception):
    pass


@given(st.lists(st.sampled_from([None, Nonsense("x"), MemoryError(), KeyError(5), RuntimeError("\n")]), max_size=8))
def test_whatever_making_lines_raises_is_counted(
    tmp_path_factory: pytest.TempPathFactory, errors: list[Exception | None]
) -> None:
    said: list[str] = []
    with recording_in(tmp_path_factory.mktemp("r"), KEYED, say=said.append) as (app, recording):
        make, coming = recording._maker.lines, iter(errors)

        def lines(spans: Any) -> Any:
            if (error := next(coming, None)) is not None:
                raise error
            return make(spans)

        recording._maker.lines = lines
        for number in range(len(errors) + 1):
            assert ask(app, request_of({"sign": f"Q{number}"}, {"sign": "R"})).status == 200
            recording.flush()
    heard = recording.heard
    raised = [error for error in errors if error is not None]
    assert (heard.written, sum(heard.left_out.values())) == (2 * (len(errors) + 1 - len(raised)), 2 * len(raised))
    assert sums_up(heard)
    assert len(said) == len({type(error) for error in raised})


def test_one_senders_spans_do_not_cost_those_of_another(tmp_path: Path) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        make = recording._maker.lines

        def lines(spans: Any) -> Any:
            if "bad" in spans.column("sign").to_pylist():
                raise Nonsense
            return make(spans)

        recording._maker.lines = lines
        for number in range(20):
            ask(app, request_of({"sign": "bad" if number == 7 else "good"}))
    assert (recording.heard.written, sum(recording.heard.left_out.values())) == (19, 1)


def failing(errors: list[BaseException], append: Any) -> Any:
    coming = iter(errors)

    def first_fail(lines: bytes) -> Any:
        if (error := next(coming, None)) is not None:
            raise error
        return append(lines)

    return first_fail


def test_whatever_writing_raises_is_counted_and_the_recording_goes_on(tmp_path: Path) -> None:
    said: list[str] = []
    with recording_in(tmp_path, KEYED, say=said.append) as (app, recording):
        recording._parts.append = failing([Nonsense("first"), ValueError("second")], recording._parts.append)
        for number in range(4):
            ask(app, request_of({"sign": f"Q{number}"}))
            recording.flush()
    assert (recording.heard.written, recording.heard.dropped) == (2, 2)
    assert [line.rpartition(": ")[2] for line in said] == ["first", "second"]


def test_a_thread_that_ended_is_no_secret(tmp_path: Path) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        recording._parts.append = failing([SystemExit("gone")], recording._parts.append)
        assert ask(app, request_of({"sign": "Q1"})).status == 200
        recording._thread.join(10)
        answer = ask(app, request_of({"sign": "Q2"}))
        assert (answer.status, answer.headers["retry-after"]) == (503, "1")
    assert recording.failure == "the thread that writes has ended: SystemExit: gone"
    assert (recording.heard.spans, recording.heard.dropped) == (1, 1)
    assert recording.heard.turned_away == {"status 503: the recording has ended": 1}


def test_the_receiver_ends_with_status_1_when_nothing_is_written_any_more(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The module that Python imports at its start makes writing end the thread."""
    (tmp_path / "sitecustomize.py").write_text(
        "from vestigo.recording.parts import Parts\n"
        "def append(self, lines):\n    raise SystemExit('no more')\n"
        "Parts.append = append\n"
    )
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    with listening("recording", "--intake", "columns.key={sign}", "--json", cwd=tmp_path) as receiver:
        assert post(receiver.url, request_of({"sign": "Q1"})) == 200
        out, err = receiver.process.communicate(timeout=20)
    assert receiver.process.returncode == 1
    assert (json.loads(out)["written"], json.loads(out)["dropped"]) == (0, 1)
    assert err == (
        "vestigo: the thread that writes has ended: SystemExit: no more; "
        "spans that came later are lost, so record again\n"
    )


@pytest.fixture
def full_disk(monkeypatch: pytest.MonkeyPatch) -> list[bool]:
    """Writing to files fails while the list holds True."""
    is_full, write = [True], os.write

    def write_if_there_is_room(file: int, lines: bytes) -> int:
        if is_full[0]:
            write(file, lines[: len(lines) // 2])
            raise OSError(28, "No space left on device")
        return write(file, lines)

    monkeypatch.setattr("vestigo.recording.parts.os.write", write_if_there_is_room)
    return is_full


def test_senders_hear_of_a_full_disk_and_what_it_has_taken_is_not_lost(tmp_path: Path, full_disk: list[bool]) -> None:
    said: list[str] = []
    with recording_in(tmp_path, KEYED, say=said.append) as (app, recording):
        assert ask(app, request_of({"sign": "Q1"})).body == b""
        recording.flush()
        partial = ExportTraceServiceResponse.FromString(ask(app, request_of({"sign": "Q2"})).body).partial_success
        assert list(tmp_path.iterdir()) == []
        full_disk[0] = False
        recording.flush()
        assert ask(app, request_of({"sign": "Q3"})).body == b""
    assert (partial.rejected_spans, partial.error_message) == (
        1,
        "nothing can be written (No space left on device); these spans are dropped",
    )
    assert said == [
        f"{tmp_path}: nothing can be written (No space left on device); new spans are dropped until it can be"
    ]
    assert (recording.heard.written, recording.heard.dropped) == (2, 1)
    trace = read_trace(tmp_path)
    assert [trace.keys[key] for key in trace.key] == ["Q1", "Q3"]


def test_a_disk_that_stays_full_leaves_no_file(tmp_path: Path, full_disk: list[bool]) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        assert ask(app, request_of({"sign": "Q1"}, {"sign": "Q2"})).status == 200
    assert full_disk == [True]
    assert (recording.heard.spans, recording.heard.dropped) == (2, 2)
    assert list(tmp_path.iterdir()) == []


def test_causes_that_are_said_do_not_pile_up() -> None:
    said: list[str] = []
    accounts = Accounts(said.append)
    for number in [*range(1000), 5]:
        accounts.say_once(f"cause {number}")
    assert (len(said), len(accounts._said)) == (50, 50)


def test_a_closed_recording_counts_what_comes_later(tmp_path: Path) -> None:
    with recording_in(tmp_path, KEYED) as (app, recording):
        pass
    answer = ask(app, request_of({"sign": "Q1"}))
    assert b"the recording is closed; these spans are dropped" in answer.body
    assert sums_up(recording.heard)


@pytest.mark.clock
def test_lines_are_written_within_a_second_without_a_flush(tmp_path: Path) -> None:
    recording = Recording(tmp_path, KEYED)
    with recording_in(tmp_path / "other", KEYED) as (app, other):
        ask(app, request_of({"sign": "Q1"}))
        waits = itertools.takewhile(lambda _: other.heard.written == 0, range(50))
        assert sum(not time.sleep(0.1) for _ in waits) < 20
    recording.close()
    assert recording.heard.spans == 0
