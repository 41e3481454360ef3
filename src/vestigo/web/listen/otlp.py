"""Reads OTLP messages (protobuf or JSON) from a request's body, and writes answers in the same encoding.

Source: the OpenTelemetry protocol specification (OTLP/HTTP), and its JSON mapping.
"""

import json
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from google.protobuf.json_format import MessageToJson
from google.protobuf.message import DecodeError, Message
from google.rpc.status_pb2 import Status
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import (
    ExportTracePartialSuccess,
    ExportTraceServiceRequest,
    ExportTraceServiceResponse,
)

from vestigo.compiled import texts
from vestigo.trace.formats.spans import Spans, attributes_of, status_codes, times

PROTOBUF, JSON = "application/x-protobuf", "application/json"
AnyValue = Any
"""Of protobuf, whose classes are made as the program runs, or what JSON has in its place."""
MOST_SPANS = 1 << 15
"""Of a request."""
MOST_PARTS = 1 << 19
"""Of a request: objects, lists and texts within each other. Each takes a hundred bytes when it is read."""
MOST_ATTRIBUTES = 1_000
LONGEST_TEXT = 1 << 16
_LAST_TIME = 2**63 - 1
_LAST_KIND = 2**31 - 1
"""As far as the kinds and status codes of the protocol go."""

Pairs = Iterable[tuple[str, str | None]]
"""Names and values of attributes, values as text."""


class TooMany(ValueError):
    """A request holds more than one may."""


class WantedNames:
    """The attributes that are needed: those with these names, and those whose names begin with a prefix."""

    def __init__(self, names: Iterable[str] = (), prefix: str | None = None) -> None:
        self._names, self._prefix = frozenset(names), prefix

    def __contains__(self, name: str) -> bool:
        return name in self._names or (self._prefix is not None and name.startswith(self._prefix))


_PLAIN = ("names", "trace_ids", "span_ids", "kinds", "starts", "ends", "statuses", "scopes")


class Gathered:
    """Spans as lists, with a value for each span or attribute. Attributes that nobody needs are not kept."""

    def __init__(self, wanted: WantedNames) -> None:
        self.wanted = wanted
        self.names: list[str] = []
        self.trace_ids: list[str] = []
        self.span_ids: list[str] = []
        self.kinds: list[int] = []
        self.starts: list[int] = []
        self.ends: list[int] = []
        self.statuses: list[int] = []
        self.scopes: list[str] = []
        self.resource: list[int] = []
        self.of_spans: tuple[list[int], list[str], list[str | None]] = ([], [], [])
        self.of_resources: tuple[list[int], list[str], list[str | None]] = ([], [], [])
        self.resources = 0
        self.refused = 0
        """Spans whose times or other fields are out of range."""

    def __len__(self) -> int:
        return len(self.names)

    @classmethod
    def merged(cls, several: Sequence["Gathered"]) -> "Gathered":
        """The spans of all of them."""
        if len(several) == 1:
            return several[0]
        found = cls(several[0].wanted)
        for one in several:
            found.extend(one)
        return found

    def begin_resource(self, attributes: Pairs) -> None:
        owners, names, values = self.of_resources
        for name, text in attributes:
            if text is None or len(text) <= LONGEST_TEXT:
                owners.append(self.resources)
                names.append(name)
                values.append(text)
        self.resources += 1

    def add(  # noqa: PLR0913, PLR0917  # a span's own fields
        self,
        scope: str,
        name: str,
        trace_id: str,
        span_id: str,
        kind: int,
        start: int,
        end: int,
        status: int,
        attributes: Pairs,
    ) -> None:
        """Adds a span of the resource that was begun last."""
        names, values = [], []
        fits = 0 < start <= end <= _LAST_TIME and len(name) <= LONGEST_TEXT
        fits &= 0 <= kind <= _LAST_KIND and 0 <= status <= _LAST_KIND
        for attribute, text in attributes:
            names.append(attribute)
            values.append(text)
            if text is not None and len(text) > LONGEST_TEXT:
                fits = False
        if not fits:
            self.refused += 1
            return
        of_spans = self.of_spans
        of_spans[0].extend([len(self.names)] * len(names))
        of_spans[1].extend(names)
        of_spans[2].extend(values)
        self.names.append(name)
        self.trace_ids.append(trace_id)
        self.span_ids.append(span_id)
        self.kinds.append(kind)
        self.starts.append(start)
        self.ends.append(end)
        self.statuses.append(status)
        self.scopes.append(scope)
        self.resource.append(self.resources - 1)

    def extend(self, others: "Gathered") -> None:
        """Adds the spans of another object."""
        rows, resources = len(self.names), self.resources
        for name in _PLAIN:
            getattr(self, name).extend(getattr(others, name))
        self.resource += [one + resources for one in others.resource]
        for own, more, before in (
            (self.of_spans, others.of_spans, rows),
            (self.of_resources, others.of_resources, resources),
        ):
            own[0].extend([one + before for one in more[0]])
            own[1].extend(more[1])
            own[2].extend(more[2])
        self.resources += others.resources

    def spans(self) -> Spans:
        own = {
            "name": pa.array(self.names, pa.string()),
            "trace_id": pa.array([one or None for one in self.trace_ids], pa.string()),
            "span_id": pa.array(self.span_ids, pa.string()),
            "kind": pa.array(self.kinds, pa.int64()),
            **times(pa.array(self.starts, pa.int64()), pa.array(self.ends, pa.int64())),
            "otel.scope.name": pa.array(self.scopes, pa.string()),
            "otel.status_code": status_codes(pa.array(self.statuses, pa.int64())),
        }
        of_spans = attributes_of(*self.of_spans, len(self))
        of_resources = attributes_of(*self.of_resources, self.resources)
        return Spans(own, of_spans, of_resources, np.array(self.resource, np.int64))


def decode(body: bytes, encoding: str, wanted: WantedNames) -> Gathered:
    """The spans of a request. Raises ValueError with a sentence if the body is not an OTLP message, and TooMany if it
    holds too much to be read.
    """
    gathered = Gathered(wanted)
    if encoding == JSON:
        _walk_json(body, gathered)
    else:
        _walk_protobuf(body, gathered)
    return gathered


def _check_amounts(spans: int, parts: int) -> None:
    if spans > MOST_SPANS:
        raise TooMany(f"a request may have {MOST_SPANS:,} spans; send fewer at once")
    if parts > MOST_PARTS:
        raise TooMany(f"a request may have {MOST_PARTS:,} objects and texts; send fewer spans at once")


def _walk_protobuf(body: bytes, gathered: Gathered) -> None:
    _check_amounts(*texts.span_messages(np.frombuffer(body, np.uint8)))
    try:
        request = ExportTraceServiceRequest.FromString(body)
    except DecodeError:
        raise ValueError("the body is not an ExportTraceServiceRequest in protobuf") from None
    wanted = gathered.wanted
    for group in request.resource_spans:
        gathered.begin_resource(_texts(group.resource.attributes, wanted))
        for scoped in group.scope_spans:
            scope = scoped.scope.name
            for span in scoped.spans:
                attributes = span.attributes
                if len(attributes) > MOST_ATTRIBUTES:
                    gathered.refused += 1
                    continue
                gathered.add(
                    scope,
                    span.name,
                    span.trace_id.hex(),
                    span.span_id.hex(),
                    span.kind,
                    span.start_time_unix_nano,
                    span.end_time_unix_nano,
                    span.status.code,
                    _texts(attributes, wanted),
                )


def _texts(attributes: AnyValue, wanted: WantedNames) -> Pairs:
    named = ((one.key, one.value) for one in attributes)
    return [(key, value.string_value or _text(value)) for key, value in named if key in wanted]


def _text(value: AnyValue) -> str | None:
    """A single value as text, as in files of spans. None for lists and bytes."""
    kind = value.WhichOneof("value")
    if kind == "string_value":
        return str(value.string_value)
    if kind == "int_value":
        return str(value.int_value)
    if kind == "bool_value":
        return "true" if value.bool_value else "false"
    return repr(value.double_value) if kind == "double_value" else None


def _walk_json(body: bytes, gathered: Gathered) -> None:
    _check_amounts(0, sum(body.count(sign) for sign in (b"{", b"[", b",")))
    try:
        request, wanted = json.loads(body), gathered.wanted
        for group in request.get("resourceSpans") or ():
            gathered.begin_resource(_pairs((group.get("resource") or {}).get("attributes") or (), wanted))
            for scoped in group.get("scopeSpans") or ():
                _check_amounts(len(gathered) + len(scoped.get("spans") or ()), 0)
                scope = (scoped.get("scope") or {}).get("name") or ""
                for span in scoped.get("spans") or ():
                    attributes = span.get("attributes") or ()
                    if len(attributes) > MOST_ATTRIBUTES:
                        gathered.refused += 1
                        continue
                    gathered.add(
                        _string(scope),
                        _string(span.get("name") or ""),
                        _string(span.get("traceId") or "").lower(),
                        _string(span.get("spanId") or "").lower(),
                        int(span.get("kind") or 0),
                        int(span.get("startTimeUnixNano") or 0),
                        int(span.get("endTimeUnixNano") or 0),
                        int((span.get("status") or {}).get("code") or 0),
                        _pairs(attributes, wanted),
                    )
    except TooMany:
        raise
    except (ValueError, TypeError, AttributeError, RecursionError, OverflowError):
        raise ValueError("the body is not an ExportTraceServiceRequest in JSON") from None


def _string(value: AnyValue) -> str:
    if not isinstance(value, str):
        raise TypeError
    value.encode()  # a lone surrogate is not text
    return value


def _pairs(attributes: AnyValue, wanted: WantedNames) -> Pairs:
    named = ((one.get("key"), one.get("value") or {}) for one in attributes)
    return [(key, _json_text(value)) for key, value in named if key in wanted]


def _json_text(value: AnyValue) -> str | None:
    if "stringValue" in value:
        return _string(value["stringValue"])
    if "intValue" in value:
        return str(int(value["intValue"]))
    if "boolValue" in value:
        return "true" if value["boolValue"] else "false"
    return repr(float(value["doubleValue"])) if "doubleValue" in value else None


def accepted(encoding: str, rejected: int = 0, why: str = "") -> bytes:
    """The answer to a request that was accepted, except for some of its spans."""
    answer = ExportTraceServiceResponse()
    if rejected:
        answer.partial_success.CopyFrom(ExportTracePartialSuccess(rejected_spans=rejected, error_message=why))
    return _encoded(answer, encoding)


def refused(encoding: str, message: str) -> bytes:
    """The answer to a request that was refused."""
    return _encoded(Status(message=message), encoding)


def _encoded(message: Message, encoding: str) -> bytes:
    body: bytes = MessageToJson(message, indent=None).encode() if encoding == JSON else message.SerializeToString()
    return body
