"""Spans in OTLP JSON become reads: a name, an attribute as the key, a duration, a trace, an instance."""

import json
from pathlib import Path
from typing import Any

import pytest

from vestigo import Trace, TraceError, read_trace

Attributes = dict[str, Any]


def attributes(given: Attributes) -> list[dict[str, Any]]:
    kinds = {str: "stringValue", int: "intValue", bool: "boolValue", float: "doubleValue"}
    return [{"key": key, "value": {kinds[type(value)]: value}} for key, value in given.items()]


def span(name: str, start: int, length: int, numbers: type = str, **given: Any) -> dict[str, Any]:
    return {
        "traceId": given.pop("trace", "5b8efff798038103d269b633813fc60c"),
        "spanId": f"{start:016x}",
        "name": name,
        "kind": 3,
        "startTimeUnixNano": numbers(start),
        "endTimeUnixNano": numbers(start + length),
        "attributes": attributes(given),
        "status": {},
    }


def line(instance: str, *spans: dict[str, Any]) -> str:
    resource = {"attributes": attributes({"service.name": "desk", "service.instance.id": instance})}
    scoped = [{"scope": {"name": "db"}, "spans": [one]} for one in spans]
    return json.dumps({"resourceSpans": [{"resource": resource, "scopeSpans": scoped}]})


def read(tmp_path: Path, *lines: str, name: str = "s.jsonl", **options: Any) -> Trace:
    (tmp_path / name).write_text("\n".join(lines) + "\n")
    return read_trace(tmp_path / name, **options)


@pytest.mark.parametrize("name", ["s.jsonl", "s.json", "s.otlp"])
@pytest.mark.parametrize("numbers", [str, int])
def test_spans_of_several_instances(tmp_path: Path, name: str, numbers: type) -> None:
    lines = [
        line("quay-1", span("vessel", 100, 7, numbers, sign="X"), span("berth", 200, 9, numbers, sign="7")),
        line("quay-2", span("vessel", 150, 8, numbers, sign="X", trace="00")),
    ]
    trace = read(tmp_path, *lines, name=name, columns={"key": "{sign}"})
    assert trace.at.tolist() == [100, 150, 200]
    assert [trace.lookups[lookup] for lookup in trace.lookup] == ["vessel", "vessel", "berth"]
    assert [trace.keys[key] for key in trace.key] == ["X", "X", "7"]
    assert trace.cost.tolist() == [7, 8, 9]
    assert trace.scope.tolist() == [0, 1, 0]
    assert [trace.nodes[node] for node in trace.node] == ["quay-1", "quay-2", "quay-1"]


def test_a_span_s_own_attribute_counts_before_its_resource_s(tmp_path: Path) -> None:
    spans = [span("v", 1, 1, **{"service.name": "own", "rows": "0"}), span("v", 2, 1, rows="3")]
    trace = read(
        tmp_path, line("q", spans[0]), line("q", spans[1]), columns={"key": "{service.name}"}, null_where={"rows": 0}
    )
    assert trace.found.tolist() == [0, 1]


def test_names_can_be_divided_by_patterns(tmp_path: Path) -> None:
    trace = read(
        tmp_path,
        line("q", span("GET /v/7", 1, 1), span("GET /t/a/b", 2, 1)),
        patterns={"v": "GET /v/{}", "t": "GET /t/{a}/{b}"},
    )
    assert trace.lookups == ("v", "t")
    assert list(trace.keys[:]) == ["GET /v/7", "a/b"]


def test_a_span_without_the_key_s_attribute_is_named(tmp_path: Path) -> None:
    with pytest.raises(TraceError, match=r"s\.jsonl, line 2, span '0000000000000002', column 'key': found nothing"):
        read(tmp_path, line("q", span("v", 1, 1, k="a")), line("q", span("v", 2, 1)), columns={"key": "{k}"})


def test_without_a_key_the_attributes_asked_for_are_shown(tmp_path: Path) -> None:
    with pytest.raises(
        TraceError,
        match=r"no column 'key'; the file has name, trace_id, span_id, kind, start, duration, \w.*; say what it is ",
    ):
        read(tmp_path, line("q", span("v", 1, 1, k="a")))


@pytest.mark.parametrize(
    "content", ["null", '{"resourceSpans": 5}', '{"resourceSpans": [{"scopeSpans": [', '{"resourceSpans":[null]}']
)
def test_what_is_no_otlp_is_refused(tmp_path: Path, content: str) -> None:
    with pytest.raises(TraceError):
        read(tmp_path, content, name="s.otlp", columns={"key": "{k}"})
