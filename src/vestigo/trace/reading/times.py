"""Turns times, as files write them, into whole ns."""

from collections.abc import Callable
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.columns import EARLIEST, LATEST
from vestigo.trace.reading.column_kinds import Bad, is_text, numpy_of, refuse, whole

UNITS = {"s": 10**9, "ms": 10**6, "us": 10**3, "ns": 1}

_TIME = "a time with an offset (RFC 3339), or a number since 1970-01-01 UTC, between the years 1950 and 2100"
_OTHER_UNIT = "; if it counts in another unit, state that (at_unit)"
WITH_OFFSET = 'a time with an offset (2026-03-17T08:00:00Z); or state the time zone (zone = "Europe/Oslo")'
_FIRST_LIKELY = 300_000_000  # in seconds, the year 1979; nobody recorded anything before that
_QUARTER = 900 * 10**9
_OFFSET = r"(?:[Zz]|[+-]\d\d(?::?\d\d)?)$"
_NUMBER = r"^[+-]?(?P<whole>\d{1,19})(?:\.(?P<fraction>\d{1,9})\d*)?$"

Say = Callable[[str], None]


def _to_nobody(_: str) -> None:
    """For callers that want no notes."""


def times(
    column: pa.Array, unit: str | None, zone: str | None, say: Say = _to_nobody, note: Say = _to_nobody
) -> np.ndarray:
    """Times in ns since the Unix epoch, UTC. Without a unit, the magnitude of the numbers tells it, and `say` hears of
    that. `note` hears of what was stated and is not needed.
    """
    if pa.types.is_duration(column.type) or pa.types.is_time(column.type):
        raise Bad(0, f"a column of {column.type}, which says how long and not when", f"{_TIME}; add when it began")
    column = column.cast(pa.timestamp("us")) if pa.types.is_date(column.type) else column
    column = pc.fill_null(column, "") if is_text(column.type) else column
    if is_text(column.type) and not _begins_with_number(column):
        column = _from_texts(column, zone, note)
    elif pa.types.is_timestamp(column.type) and column.type.tz is not None:
        _note_zone(zone, note)
    if pa.types.is_timestamp(column.type):
        if unit is not None:
            note(f"at_unit = {unit} is not used: the times are no numbers")
        return whole(_from_timestamps(column, zone), _TIME, EARLIEST, LATEST, needed=True)
    if unit is None:
        unit = likely_unit(column)
        if unit != "ns":
            say(f"times taken as {unit} since 1970-01-01 UTC, by their size (at_unit states another)")
    expected = f"{_TIME}{_OTHER_UNIT}"
    return whole(scaled(column, UNITS[unit], expected), expected, EARLIEST, LATEST, needed=True)


def _from_timestamps(column: pa.Array, zone: str | None) -> pa.Array:
    try:
        ns = column.cast(pa.timestamp("ns", column.type.tz)).cast(pa.int64())
    except pa.ArrowInvalid:  # too far away for 64 bits of ns
        raise Bad(0, "a time too far away", _TIME) from None
    if column.type.tz is not None:
        return ns
    if zone is None and column.null_count < len(column):
        row = int(np.argmax(numpy_of(column.is_valid())))
        raise Bad(row, "a time without an offset", WITH_OFFSET)
    return pa.array(_local(numpy_of(ns.fill_null(0)), zone or "UTC"), mask=numpy_of(ns.is_null()))


def _note_zone(zone: str | None, note: Say) -> None:
    if zone is not None:
        note(f"zone = {zone} is not used: every time has an offset")


def _from_texts(column: pa.Array, zone: str | None, note: Say) -> pa.Array:
    """Timestamps. They have a zone if every text has an offset."""
    shown, column = column, pc.utf8_upper(column)  # RFC 3339 allows a lower-case t and z
    offset = pc.match_substring_regex(column, _OFFSET)
    if pc.all(offset).as_py():
        _note_zone(zone, note)
        return _cast(column, shown, pa.timestamp("ns", "UTC"))
    if zone is None:
        naive = _cast_each(column, pa.timestamp("ns"))
        refuse(pc.and_(pc.invert(offset), naive), shown, WITH_OFFSET)
        refuse(pc.invert(offset), shown, _TIME)
    nothing = pa.scalar(None, column.type)
    local = _cast(pc.if_else(offset, nothing, column), shown, pa.timestamp("ns"))
    universal = _cast(pc.if_else(offset, column, nothing), shown, pa.timestamp("ns", "UTC")).cast(pa.int64())
    ns = pc.coalesce(universal, _from_timestamps(local, zone))
    return ns.cast(pa.timestamp("ns", "UTC"))


def _cast(column: pa.Array, shown: pa.Array, kind: pa.DataType) -> pa.Array:
    try:
        return column.cast(kind)
    except pa.ArrowInvalid:
        refuse(pc.and_(pc.invert(_cast_each(column, kind)), column.is_valid()), shown, _TIME)
        raise


def _cast_each(column: pa.Array, kind: pa.DataType) -> pa.Array:
    """Which texts can be cast. This is slow, and asked only if some cannot."""

    def can(value: pa.Scalar) -> bool:
        try:
            value.cast(kind)
        except pa.ArrowInvalid:
            return False
        return bool(value.is_valid)

    return pa.array([can(value) for value in column], pa.bool_())


def _local(ns: np.ndarray, zone: str) -> np.ndarray:
    """UTC times from local times that are given as if they were UTC. Offsets change only at quarters of an hour.

    If an hour comes twice, its first time counts. In an hour that is skipped, the offset before it holds.
    """
    quarters, which = np.unique(ns // _QUARTER, return_inverse=True)
    begin, place = datetime(1970, 1, 1), ZoneInfo(zone)
    try:
        offsets = [
            (begin + timedelta(seconds=int(quarter) * 900)).replace(tzinfo=place).utcoffset() or timedelta()
            for quarter in quarters
        ]
    except OverflowError:
        raise Bad(0, "a time too far away", _TIME) from None
    seconds = np.array([offset.total_seconds() for offset in offsets], np.int64)
    return np.asarray(ns - seconds[which] * 10**9)


def _begins_with_number(column: pa.Array) -> bool:
    """Whether the first text that is not missing is a number."""
    said = column.filter(pc.not_equal(column, ""))
    return len(said) > 0 and bool(said[0].as_py().lstrip("+-").replace(".", "", 1).isdigit())


def likely_unit(column: pa.Array) -> str:
    """The unit in which all numbers are times from 1979 to 2100, or else ns."""
    if pa.types.is_null(column.type) or len(column) == 0 or column.null_count == len(column):
        return "ns"
    try:
        numbers = column if pa.types.is_integer(column.type) else column.cast(pa.float64())
        low, high = (float(bound.as_py()) for bound in pc.min_max(numbers).values())
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        return "ns"
    for unit, size in UNITS.items():
        per_second = 10**9 // size
        if _FIRST_LIKELY * per_second <= low and high <= LATEST // size:
            return unit
    return "ns"


def scaled(column: pa.Array, size: int, expected: str) -> pa.Array:
    """Numbers in units of `size` ns as whole ns. Fractions of a ns are cut off."""
    if is_text(column.type):
        return _scaled_texts(column, size, expected)
    if pa.types.is_decimal(column.type):
        return _scaled_texts(column.cast(pa.string()), size, expected)
    if pa.types.is_floating(column.type):
        return _scaled_floats(column, size, expected)
    if size == 1 or not pa.types.is_integer(column.type):
        return column
    most = 2**63 // size - 1
    refuse(pc.or_(pc.less(column, -most), pc.greater(column, most)), column, expected)
    return pc.multiply(column.cast(pa.int64()), size)


def _scaled_texts(column: pa.Array, size: int, expected: str) -> pa.Array:
    column = pc.if_else(pc.equal(column, ""), pa.scalar(None, column.type), column)
    found = pc.extract_regex(column, _NUMBER)
    refuse(pc.and_(found.is_null(), column.is_valid()), column, expected)
    whole_part, fraction = (found.field(place) for place in range(2))
    try:
        units = pc.if_else(pc.equal(whole_part, ""), "0", whole_part).cast(pa.int64())
        ns = pc.multiply_checked(units, size)
    except pa.ArrowInvalid:
        wide = pc.greater(pc.utf8_length(whole_part), 19 - len(str(size)))
        refuse(wide, column, expected)
        raise
    parts = pc.if_else(pc.equal(fraction, ""), "0", pc.utf8_rpad(fraction, 9, "0")).cast(pa.int64())
    if size == 1:
        refuse(pc.greater(parts, 0), column, expected + ", in whole ns; if it is another unit, state that")
    ns = pc.add(ns, pc.divide(pc.multiply(parts, size), 10**9))
    ns = pc.if_else(pc.starts_with(column, "-"), pc.negate(ns), ns)
    return pc.if_else(column.is_valid(), ns, pa.scalar(None, pa.int64()))


def _scaled_floats(column: pa.Array, size: int, expected: str) -> pa.Array:
    values = numpy_of(column.cast(pa.float64()).fill_null(0))
    wrong = ~(np.abs(values) < 2**63 / size)  # NaN too
    if size == 1:
        wrong |= np.floor(values) != values
    refuse(pc.and_(pa.array(wrong), column.is_valid()), column, expected)
    # The shortest texts that give these numbers: the digits that were written.
    texts = column.cast(pa.float64()).cast(pa.string())
    plain = pc.match_substring_regex(texts, _NUMBER)
    exact = _scaled_texts(pc.if_else(plain, texts, pa.scalar(None, pa.string())), size, expected)
    if pc.all(pc.or_(plain, pc.invert(column.is_valid()))).as_py() is not False:
        return exact
    units = np.floor(values)
    ns = units.astype(np.int64) * size + np.rint((values - units) * size).astype(np.int64)
    return pc.coalesce(exact, pa.array(ns, mask=numpy_of(column.is_null())))
