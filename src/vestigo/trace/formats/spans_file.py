"""OpenTelemetry spans in OTLP JSON. A line holds `resourceSpans`, as in the format of the OTLP file exporter.

The columns are `name`, `start`, `duration` (ns), `trace_id`, `span_id`, `kind`, `otel.scope.name`, `otel.status_code`,
the attributes of the span and of its resource under their own names, and what the semantic conventions tell of a read.
"""

from itertools import islice
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.trace.formats.format import CostUnit, Format
from vestigo.trace.formats.json_lines import has_bare_null, lines_of, parse, safe_lines
from vestigo.trace.formats.packed import check_rows
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.trace.formats.spans import DEFAULTS, Attributes, Spans, raw_of, status_codes, times

_VALUE_KINDS = {
    "stringValue": pa.string(),
    "intValue": pa.string(),
    "doubleValue": pa.float64(),
    "boolValue": pa.bool_(),
}
_OWN = {"name": "name", "trace_id": "traceId", "span_id": "spanId", "kind": "kind"}
_PART = 1 << 24
_TIMES = ("startTimeUnixNano", "endTimeUnixNano")


def read_spans(path: Path, wanted: Wanted) -> Raw:
    """Reads spans, one row each. Raises TraceError if a line is not OTLP JSON."""
    content = safe_lines(path, wanted.limits)
    check_rows(path, _objects_in(content), wanted.limits, "objects")
    if has_bare_null(content):
        raise TraceError(f"{path}: has a null where an object belongs; every line must be an object with resourceSpans")
    table = _parsed(content, path)
    groups = _Nested(table["resourceSpans"].combine_chunks(), np.arange(len(table)))
    resources, lines = groups.values, groups.parents
    scopes = _Nested(resources.field("scopeSpans"), np.arange(len(resources)))
    spans = _Nested(scopes.values.field("spans"), np.arange(len(scopes.values)))
    span, resource = spans.values, scopes.parents[spans.parents]
    own = {name: span.field(field) for name, field in _OWN.items()}
    own |= times(*(_numbers(span.field(name), path, name) for name in _TIMES))
    own["otel.scope.name"] = scopes.values.field("scope").field("name").take(pa.array(spans.parents))
    own["otel.status_code"] = status_codes(span.field("status").field("code").fill_null(0))

    def place(row: int) -> str:
        number, _ = next(islice(lines_of(content), int(lines[resource[row]]), None))
        return f"line {number}, span {span.field('spanId')[row].as_py()!r}"

    of_resources = _attributes(resources.field("resource").field("attributes"))
    return raw_of(Spans(own, _attributes(span.field("attributes")), of_resources, resource), wanted, place)


def _objects_in(content: pa.Buffer) -> int:
    """How many objects a text may hold: a line can have millions of empty spans."""
    letters = np.frombuffer(content, np.uint8)
    parts = range(0, len(letters), _PART)
    return sum(int(np.count_nonzero(letters[begin : begin + _PART] == ord("{"))) for begin in parts)


class _Nested:
    """The items of a column of lists, and for each item the parent of the row in which it stands."""

    def __init__(self, lists: pa.Array, parents: np.ndarray) -> None:
        self.values = pc.list_flatten(lists)
        within = pc.list_parent_indices(lists).to_numpy(zero_copy_only=False).astype(np.int64)
        self.parents = parents[within]


def _parsed(content: pa.Buffer, path: Path) -> pa.Table:
    failure: Exception | None = None
    for whole_numbers in (pa.string(), pa.int64()):  # texts in the standard; some exporters write numbers
        try:
            return parse(content, {"resourceSpans": _lists(whole_numbers)}, "ignore")
        except pa.ArrowInvalid as error:
            failure = failure or error
    raise TraceError(f"{path}: is not OTLP JSON, one object with resourceSpans a line: {str(failure).splitlines()[0]}")


def _lists(whole_number: pa.DataType) -> pa.DataType:
    """The nested lists of the standard that are read."""
    value = pa.struct(list((_VALUE_KINDS | {"intValue": whole_number}).items()))
    attributes = pa.list_(pa.struct([("key", pa.string()), ("value", value)]))
    span = pa.struct(
        [(field, pa.string()) for field in ("name", "traceId", "spanId")]
        + [("kind", pa.int64())]
        + [(field, whole_number) for field in _TIMES]
        + [("attributes", attributes), ("status", pa.struct([("code", pa.int64())]))]
    )
    scope = pa.struct([("scope", pa.struct([("name", pa.string())])), ("spans", pa.list_(span))])
    resource = pa.struct([("attributes", attributes)])
    return pa.list_(pa.struct([("resource", resource), ("scopeSpans", pa.list_(scope))]))


def _attributes(lists: pa.Array) -> Attributes:
    """The items of a column of lists of attributes."""
    items = _Nested(lists, np.arange(len(lists)))
    value = items.values.field("value")
    texts = pc.coalesce(*(value.field(kind).cast(pa.string()) for kind in _VALUE_KINDS))
    return Attributes(items.parents, items.values.field("key"), texts, len(lists))


def _numbers(column: pa.Array, path: Path, name: str) -> pa.Array:
    try:
        return column.cast(pa.int64())
    except pa.ArrowInvalid as error:
        raise TraceError(f"{path}, {name}: {str(error).splitlines()[0]}; it must be a number of ns") from None


def _begins_as_spans(begin: bytes) -> bool:
    """Whether the text begins like OTLP JSON."""
    return begin.removeprefix(b"\xef\xbb\xbf").lstrip().removeprefix(b"{").lstrip().startswith(b'"resourceSpans"')


FORMAT = Format(
    ("otlp",),
    read_spans,
    DEFAULTS,
    recognises=_begins_as_spans,
    cost_unit=lambda _: CostUnit("ns"),  # the standard's
)
