"""HTTP access logs in the Common and the Combined format, also with the duration of a request at the end of the line.

A GET or HEAD is a read, a PUT, POST or PATCH a write, a DELETE a remove. Failed requests are left out: a failed read
gave no value to keep, and a failed write changed nothing.
"""

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.errors import TraceError
from vestigo.trace.formats.format import CostUnit, Defaults, Format
from vestigo.trace.formats.http import GONE, has_failed, op_of, size_of, some_of
from vestigo.trace.formats.packed import Limits, too_long, whole
from vestigo.trace.formats.raw import Raw, Wanted
from vestigo.units import counted

_COLUMNS = {
    "at": "{time}",
    "op": "{op}",
    "lookup": "requests",
    "key": "{path}",
    "size": "{bytes}",
    "cost": "{duration}",
}
_DEFAULTS = Defaults(_COLUMNS, "{path}", {"status": GONE})

_NAMES = ("host", "ident", "user", "clock", "method", "path", "status", "bytes", "referer", "agent", "duration")
_BEGIN = r'^(?P<host>\S+) (?P<ident>\S+) (?P<user>[^\s\["]+(?: [^\s\["]+)*) \[(?P<clock>[^\]]+)\] '
"""A user's name may have blanks. A bracket or a quote in it would take in the line that ran together with this one."""
_END = (
    r' (?P<bytes>\d{1,18}|-)(?: "(?P<referer>(?:[^"\\]|\\.)*)" "(?P<agent>(?:[^"\\]|\\.)*)")?'
    r"(?: (?P<duration>\d{1,18}(?:\.\d{1,9})?))?\s*$"
)
_LINE = rf'{_BEGIN}"(?P<method>[A-Z]+) (?P<path>\S+)(?: HTTP/[\d.]+)?" (?P<status>\d{{3}}){_END}'
_NO_REQUEST = rf'{_BEGIN}"(?:[^"\\]|\\.)*" [45]\d{{2}}{_END}'
"""What came was no request (a `-`, or bytes of another protocol), and was refused."""
_ANSWER = r'" (?P<status>[45]\d{2}) '
_CLOCK = r"^(?P<day>\d\d)/(?P<month>[A-Z][a-z]{2})/(?P<year>\d{4}):(?P<time>\d\d:\d\d:\d\d) (?P<offset>[+-]\d{4})$"
_MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
_SHOWN = 10


def read_access_log(path: Path, wanted: Wanted) -> Raw:
    """Columns `time`, `op`, `method`, `path`, `status`, `bytes`, `duration` (where there is one), `host`, `user`,
    `referer` and `agent`."""
    lines, numbers = _lines(path, wanted.limits)
    fields = pc.extract_regex(lines, _LINE)
    columns = {name: fields.field(place) for place, name in enumerate(_NAMES)}
    time = _times(columns.pop("clock"))
    well_formed = fields.is_valid() if len(lines) else pa.array([], pa.bool_())
    well_formed = pc.and_(well_formed, time.is_valid())
    refused = pc.and_(pc.invert(well_formed), pc.match_substring_regex(lines, _NO_REQUEST))
    malformed = _malformed(lines, numbers, pc.or_(well_formed, refused))
    if len(malformed) and not pc.any(well_formed).as_py():
        raise TraceError(f"{path}: no line is one of an access log in the Common or Combined format; {malformed[0]}")
    op, status = op_of(columns["method"]), columns["status"]
    failed = has_failed(status, op)
    strange = columns["method"].filter(pc.and_kleene(well_formed, op.is_null()))
    answers = [status.filter(pc.and_kleene(well_formed, failed)), _answers(lines.filter(refused))]
    notes = [
        *_left_out(strange, "method", "neither reads nor changes"),
        *_left_out(pa.concat_arrays(answers), "status", "says that {} failed"),
    ]
    kept = pc.and_(well_formed, pc.and_(op.is_valid(), pc.invert(failed))).fill_null(False)
    table = pa.table({"time": time, "op": op, **{name: _or_nothing(column) for name, column in columns.items()}})
    table = table.filter(kept)
    numbers = numbers[kept.to_numpy(zero_copy_only=False)]
    table = table.set_column(table.column_names.index("bytes"), "bytes", _sizes(table))
    if table["duration"].null_count == len(table):
        table = table.drop_columns("duration")
    return Raw(table, lambda row: f"line {numbers[row]}", tuple(table.column_names), tuple(notes), tuple(malformed))


def _duration_unit(durations: pa.ChunkedArray) -> CostUnit:
    """The unit of durations. Servers write seconds with a fraction, or whole microseconds."""
    unit = "s" if pc.any(pc.match_substring(durations, ".")).as_py() else "us"
    return CostUnit(unit, f"the requests' durations taken as {unit} (cost_unit states another unit)")


def _lines(path: Path, limits: Limits) -> tuple[pa.Array, np.ndarray]:
    """Lines that are not empty, and their numbers. Bytes that are not UTF-8 are escaped."""
    content = whole(path, limits)
    data = np.frombuffer(content, np.uint8)
    ends = np.flatnonzero(data == 10).astype(np.int64)
    offsets = np.concatenate([[0], ends + 1, [len(data)] if len(data) and data[-1] != 10 else []]).astype(np.int64)
    rows = pa.LargeBinaryArray.from_buffers(pa.large_binary(), len(offsets) - 1, [None, pa.py_buffer(offsets), content])
    lengths = np.diff(offsets)
    if int(lengths.max(initial=0)) > limits.longest_line:
        raise too_long(path, int(np.argmax(lengths > limits.longest_line)) + 1, limits)
    filled = lengths > 1
    rows = rows.filter(pa.array(filled))
    try:
        texts = rows.cast(pa.large_string())
    except pa.ArrowInvalid:
        texts = pa.array([row.decode(errors="backslashreplace") for row in rows.to_pylist()], pa.large_string())
    return pc.utf8_rtrim(texts, "\r\n"), np.flatnonzero(filled) + 1


def _times(clock: pa.Array) -> pa.Array:
    """Times from text like ``02/Mar/2026:06:00:00 +0100``. Text that is not a time gives none."""
    matched = pc.extract_regex(clock, _CLOCK)
    day, month, year, time, offset = (matched.field(place) for place in range(5))
    number = pc.index_in(month, pa.array(_MONTHS, month.type))
    padded = pa.array([f"{place:02}" for place in range(1, 13)], month.type).take(number)
    parts = (year, "-", padded, "-", day, "T", time, offset, "")
    text = pc.binary_join_element_wise(
        *(pa.scalar(part, year.type) if isinstance(part, str) else part for part in parts)
    )
    text = pc.if_else(matched.is_valid(), text, pa.scalar(None, text.type))
    kind = pa.timestamp("ns", "UTC")
    try:
        return text.cast(kind)
    except pa.ArrowInvalid:  # some date does not exist, so look at the few distinct texts one by one
        distinct = text.dictionary_encode()
        times = pa.array([_time(value, kind) for value in distinct.dictionary], kind)
        return times.take(distinct.indices)


def _time(text: pa.Scalar, kind: pa.DataType) -> pa.Scalar:
    try:
        return text.cast(kind)
    except pa.ArrowInvalid:
        return pa.scalar(None, kind)


def _or_nothing(column: pa.Array) -> pa.Array:
    """Makes fields that a line does not have missing, not empty."""
    return pc.if_else(pc.equal(column, ""), pa.scalar(None, column.type), column)


def _sizes(table: pa.Table) -> pa.ChunkedArray:
    """The sizes of the values. A `-` means 0 bytes."""
    sizes = pc.if_else(pc.equal(table["bytes"], "-"), "0", table["bytes"])
    return size_of(table["method"], table["status"], sizes).cast(pa.int64())


def _answers(lines: pa.Array) -> pa.Array:
    """Collects the status of each line that has no request."""
    return pc.extract_regex(lines, _ANSWER).field(0)


def _left_out(times: pa.Array, what: str, why: str) -> list[str]:
    """A sentence about requests, if there are any, with the values that they have."""
    if not len(times):
        return []
    why = why.format("it" if len(times) == 1 else "they")
    return [f"left out {counted(len(times), 'request')}: the {what} ({some_of(times.unique().to_pylist())}) {why}"]


def _malformed(lines: pa.Array, numbers: np.ndarray, well_formed: pa.Array) -> list[str]:
    rows = np.flatnonzero(~well_formed.fill_null(False).to_numpy(zero_copy_only=False))
    if len(rows) == 0:
        return []
    shown = [f"line {numbers[row]}: {lines[row].as_py()[:80]!r}" for row in rows[:_SHOWN].tolist()]
    return [f"left out {counted(len(rows), 'malformed line')} ({'; '.join(shown)})"]


FORMAT = Format(("log",), read_access_log, _DEFAULTS, cost_unit=_duration_unit)
