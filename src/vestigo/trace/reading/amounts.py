"""Turns durations and sizes, as files write them, into whole ns and bytes: numbers, or text with a unit ("43ms",
"PT0.043S", "4 KiB").
"""

import re

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.columns import LARGEST
from vestigo.trace.formats.format import CostUnit
from vestigo.trace.reading.column_kinds import decoded, is_text, numpy_of, refuse, whole
from vestigo.trace.reading.template import as_text
from vestigo.trace.reading.times import UNITS, likely_unit, scaled
from vestigo.units import DURATION_SIZES, DURATIONS_WRITTEN, LONGEST, SIZE_WRITTEN, byte_unit

_COST = "a time span from 0 to 100 years, such as 43ms, or nothing"
_SIZE = "a size in whole bytes from 0 to 2^60, or with a unit such as 4 KiB, or nothing"
_HAS_UNIT = r"\d\s*[A-Za-z\x{b5}\x{3bc}]+\s*$|^\s*PT?\d"
_TO_THE_NS = re.compile(r"\.\d{9}Z?$")
_LEAST_LIKELY_NS = 500_000
"""A typical load takes from half a millisecond to half a second. In one unit only, the costs are such."""
_LOOKED_AT = 20_000


def costs(column: pa.Array, unit: str | None) -> np.ndarray:
    """Durations in ns, or MISSING. Numbers are in `unit`, or else ns. Fractions of a ns are cut off."""
    if pa.types.is_duration(column.type):
        return whole(column.cast(pa.duration("ns")).cast(pa.int64()), _COST, 0, LONGEST)
    if _has_units(column):
        return whole(_durations(column), _COST, 0, LONGEST)
    expected = _COST if unit not in (None, "ns") else f"{_COST}; if it counts in another unit, state that (cost_unit)"
    return whole(scaled(column, UNITS[unit or "ns"], expected), expected, 0, LONGEST)


def sizes(column: pa.Array) -> np.ndarray:
    """Sizes in bytes, or MISSING. Fractions of a byte are cut off."""
    return whole(_bytes(column) if _has_units(column) else column, _SIZE, 0, LARGEST)


def cost_unit(table: pa.Table, first_time: str) -> CostUnit:
    """The unit of numbers in the column `cost`. Recordings of our own count in ns, as their times do. Else the amounts
    tell it, and a note says so. A look-up of many reads counts no more than one of few.
    """
    rows = np.linspace(0, len(table) - 1, min(len(table), _LOOKED_AT)).astype(np.int64)
    column = decoded(table["cost"].take(pa.array(rows)).combine_chunks())
    if pa.types.is_duration(column.type) or _has_units(column) or _is_to_the_ns(table["at"], first_time):
        return CostUnit("ns")
    try:
        amounts = numpy_of(column.cast(pa.float64()))
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        return CostUnit("ns")  # what is no number is refused when it is read
    there, has_hits = np.isfinite(amounts) & (amounts > 0), "hit_cost" in table.column_names
    lookups = (
        as_text(table["lookup"].take(pa.array(rows))) if "lookup" in table.column_names else pa.repeat("", len(rows))
    )
    if not there.any():  # nothing tells what the times of hits are
        return CostUnit("ns", "times of hits taken as ns (cost_unit states another)" if has_hits else "")
    which = numpy_of(pc.rank(lookups, tiebreaker="min"))[there]
    by_lookup = np.argsort(which, kind="stable")
    each = np.split(amounts[there][by_lookup], np.flatnonzero(np.diff(which[by_lookup])) + 1)
    medians = [np.median(one) for one in each]
    unit = _likely(float(np.median(medians)), is_whole=bool(np.all(amounts[there] % 1 == 0)))
    return CostUnit(unit, f"costs taken as {unit}, by their size (cost_unit states another)")


def _likely(typical: float, *, is_whole: bool) -> str:
    units = [unit for unit in UNITS if is_whole or unit != "ns"]
    return next((unit for unit in reversed(units) if typical * UNITS[unit] >= _LEAST_LIKELY_NS), "s")


def _is_to_the_ns(at: pa.ChunkedArray, first_time: str) -> bool:
    """Whether times are written to the ns, as in recordings of our own."""
    kind = at.type.value_type if pa.types.is_dictionary(at.type) else at.type
    if pa.types.is_integer(kind):
        return likely_unit(at) == "ns"
    return _TO_THE_NS.search(first_time) is not None


def _has_units(column: pa.Array | pa.ChunkedArray) -> bool:
    return is_text(column.type) and bool(pc.any(pc.match_substring_regex(column, _HAS_UNIT)).as_py())


def _durations(column: pa.Array) -> pa.Array:
    """Text like ``43ms``, ``1m3.5s`` or ``PT0.043S`` as ns."""
    stated = pc.and_(column.is_valid(), pc.not_equal(column, ""))
    ns = pa.repeat(pa.scalar(0, pa.int64()), len(column))
    known = pa.repeat(pa.scalar(False), len(column))
    for written in DURATIONS_WRITTEN:
        found = pc.extract_regex(column, written)
        for place, name in enumerate(field.name for field in found.type):
            part = pc.fill_null(found.field(place), "")
            known = pc.or_(known, pc.not_equal(part, ""))
            ns = pc.add(ns, pc.fill_null(scaled(part, DURATION_SIZES[name], _COST), 0))
    refuse(pc.and_(stated, pc.invert(known)), column, _COST)
    return pc.if_else(stated, ns, pa.scalar(None, pa.int64()))


def _bytes(column: pa.Array) -> pa.Array:
    """Text like ``4 KiB`` as bytes."""
    stated = pc.and_(column.is_valid(), pc.not_equal(column, ""))
    found = pc.extract_regex(column, SIZE_WRITTEN)  # a number without a unit counts bytes
    numbers, units = found.field("number"), found.field("unit")
    sizes = pa.nulls(len(column), pa.int64())
    for unit in units.drop_null().unique().to_pylist():
        if (scale := byte_unit(unit or "B")) is not None:
            own = pc.if_else(pc.equal(units, unit), numbers, pa.scalar(None, numbers.type))
            sizes = pc.coalesce(sizes, scaled(own, scale, _SIZE))
    refuse(pc.and_(stated, sizes.is_null()), column, _SIZE)
    return sizes
