"""OpenTelemetry spans in OTLP JSON: a line holds `resourceSpans`, as the OTLP file exporter's format has it.

The columns are `name`, `start`, `duration` (ns), `trace_id`, `span_id`, `kind`, and the attributes of the span
and of its resource under their own names; of two with one name the span's counts.
"""

from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.trace.formats.format import CostUnit, Defaults, Format
from vestigo.trace.formats.json_file import has_bare_null, lines_of, parse, safe_lines
from vestigo.trace.formats.raw import Raw, Wanted

_COLUMNS = {
    "at": "{start}",
    "lookup": "{name}",
    "cost": "{duration}",
    "scope": "{trace_id}",
    "node": "{service.instance.id}",
}
_DEFAULTS = Defaults(_COLUMNS, "{name}")

_VALUE_KINDS = {
    "stringValue": pa.string(),
    "intValue": pa.string(),
    "doubleValue": pa.float64(),
    "boolValue": pa.bool_(),
}
_SHOWN = 100
_OWN = {"name": "name", "trace_id": "traceId", "span_id": "spanId", "kind": "kind"}
_TIMES = ("startTimeUnixNano", "endTimeUnixNano")


def read_spans(path: Path, wanted: Wanted) -> Raw:
    """One row a span. Raises TraceError where a line is none of OTLP JSON."""
    content = safe_lines(path, wanted.limits)
    if has_bare_null(content):
        raise TraceError(f"{path}: has a null where an object belongs; every line must be an object with resourceSpans")
    table = _parsed(content, path)
    groups = _Nested(table["resourceSpans"].combine_chunks(), np.arange(len(table)))
    resources, lines = groups.values, groups.parents
    scopes = _Nested(resources.field("scopeSpans"), np.arange(len(resources)))
    spans = _Nested(scopes.values.field("spans"), scopes.parents)
    span, resource = spans.values, spans.parents
    attributes = _attributes(resources.field("resource").field("attributes"), wanted, resource)
    for name, texts in _attributes(span.field("attributes"), wanted, None).items():
        attributes[name] = pc.coalesce(texts, attributes[name]) if name in attributes else texts
    start, end = (_numbers(span.field(name), path, name) for name in _TIMES)
    own = {name: span.field(field) for name, field in _OWN.items()}
    own |= {"start": start.cast(pa.timestamp("ns", "UTC")), "duration": pc.subtract(end, start)}
    several = {name: values for name, values in attributes.items() if name not in own}

    def place(row: int) -> str:
        number, _ = next(islice(lines_of(content), int(lines[resource[row]]), None))
        return f"line {number}, span {span.field('spanId')[row].as_py()!r}"

    names = _names(resources.field("resource").field("attributes"), span.field("attributes"))
    return Raw(pa.table({**own, **several}), place, tuple(dict.fromkeys([*own, *names])))


class _Nested:
    """The items of a column of lists, and for each the row that it stands in, told as that row's parent."""

    def __init__(self, lists: Any, parents: np.ndarray) -> None:
        self.values = pc.list_flatten(lists)
        within = pc.list_parent_indices(lists).to_numpy(zero_copy_only=False).astype(np.int64)
        self.parents = parents[within]


def _parsed(content: pa.Buffer, path: Path) -> pa.Table:
    failure: Exception | None = None
    for whole_numbers in (pa.string(), pa.int64()):  # the standard writes them as texts; some write numbers
        try:
            return parse(content, {"resourceSpans": _lists(whole_numbers)}, "ignore")
        except pa.ArrowInvalid as error:
            failure = failure or error
    raise TraceError(f"{path}: is not OTLP JSON, one object with resourceSpans a line: {str(failure).splitlines()[0]}")


def _lists(whole_number: pa.DataType) -> pa.DataType:
    """The parts of the standard that are read."""
    value = pa.struct(list((_VALUE_KINDS | {"intValue": whole_number}).items()))
    attributes = pa.list_(pa.struct([("key", pa.string()), ("value", value)]))
    span = pa.struct(
        [(field, pa.string()) for field in ("name", "traceId", "spanId")]
        + [("kind", pa.int64())]
        + [(field, whole_number) for field in _TIMES]
        + [("attributes", attributes)]
    )
    scope = pa.struct([("spans", pa.list_(span))])
    resource = pa.struct([("attributes", attributes)])
    return pa.list_(pa.struct([("resource", resource), ("scopeSpans", pa.list_(scope))]))


def _attributes(lists: Any, wanted: Wanted, rows: np.ndarray | None) -> dict[str, Any]:
    """A column for each wanted attribute: its texts, by row, or by the rows that `rows` points to."""
    items = _Nested(lists, np.arange(len(lists)))
    names, value = items.values.field("key"), items.values.field("value")
    found = {}
    for name in wanted.columns:
        here = np.flatnonzero(pc.equal(names, name).fill_null(False).to_numpy(zero_copy_only=False))
        if len(here) == 0:
            continue
        texts = pc.coalesce(*(value.field(kind).cast(pa.string()) for kind in _VALUE_KINDS)).take(pa.array(here))
        where = np.full(len(lists), -1, np.int64)
        where[items.parents[here]] = np.arange(len(here))
        if rows is not None:
            where = where[rows]
        found[name] = texts.take(pa.array(where, mask=where < 0))
    return found


def _names(*lists: Any) -> list[str]:
    """All attributes that there are: of resources, and of spans."""
    keys = [pc.list_flatten(one).field("key").unique().drop_null().to_pylist() for one in lists]
    return [name for names in reversed(keys) for name in names][:_SHOWN]


def _numbers(column: Any, path: Path, name: str) -> Any:
    try:
        return column.cast(pa.int64())
    except pa.ArrowInvalid as error:
        raise TraceError(f"{path}, {name}: {str(error).splitlines()[0]}; it must be a number of ns") from None


def _begins_as_spans(begin: bytes) -> bool:
    """As OTLP JSON does."""
    return begin.removeprefix(b"\xef\xbb\xbf").lstrip().removeprefix(b"{").lstrip().startswith(b'"resourceSpans"')


FORMAT = Format(
    ("otlp",),
    read_spans,
    _DEFAULTS,
    recognises=_begins_as_spans,
    cost_unit=lambda _: CostUnit("ns"),  # the standard's
)
