"""The columns of a trace: what each holds, and how Arrow's values become NumPy's.

Each reader takes an Arrow array and returns a NumPy array, or raises Bad with the first row that is wrong. Times are in
a file of their own.
"""

import re
from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from vestigo.trace.columns import MISSING, Holds
from vestigo.trace.trace import COLUMNS, OPS

NAMES = tuple(COLUMNS)


class Bad(Exception):
    """A problem of one column: how many rows have it, the first of them, what stands there, and what is expected."""

    def __init__(self, row: int | None, found: str, expected: str, rows: int = 1) -> None:
        self.row, self.found, self.expected, self.rows = row, found, expected, rows
        super().__init__(expected)


def flags(column: pa.Array) -> np.ndarray:
    """1, 0, or MISSING."""
    if pa.types.is_boolean(column.type):
        return numpy_of(column.cast(pa.int8()).fill_null(MISSING))
    texts = pc.utf8_lower(_words(column, "true, false, or nothing"))
    known = {"true": 1, "1": 1, "false": 0, "0": 0}
    codes = pc.index_in(texts, pa.array(list(known)))
    refuse(pc.and_(pc.is_null(codes), pc.is_valid(column)), column, "true, false, or nothing")
    values: np.ndarray = np.array([*known.values(), MISSING], np.int8)[numpy_of(codes.fill_null(len(known)))]
    return values


def ops(column: pa.Array) -> np.ndarray:
    texts = _words(column, f"one of {', '.join(OPS)}").fill_null("read")
    codes = pc.index_in(texts, pa.array(OPS))
    refuse(pc.is_null(codes), column, f"one of {', '.join(OPS)}")
    return numpy_of(codes).astype(np.uint8)


def _words(column: pa.Array, expected: str) -> pa.Array:
    try:
        return column.cast(pa.string())
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        raise Bad(0, f"a column of {column.type}", expected) from None


def names(column: pa.Array) -> pa.DictionaryArray:
    """Texts, numbered by first appearance."""
    _check_names(column, "text")
    return _encode(_as_large_text(column))


def identities(column: pa.Array) -> pa.DictionaryArray:
    """Values of any kind, numbered by first appearance."""
    if pa.types.is_nested(column.type):
        raise Bad(0, f"a column of {column.type}", "one value a row, not lists or structures")
    return _encode(_as_large_text(column) if _holds_text(column.type) else column)


def keys(column: pa.Array) -> pa.DictionaryArray:
    _check_names(column, "text or whole numbers")
    return identities(column)


def _check_names(column: pa.Array, expected: str) -> None:
    """Raises Bad for what cannot name anything: times, fractions, lists."""
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    if is_text(kind) or pa.types.is_integer(kind) or pa.types.is_null(kind):
        return
    if pa.types.is_floating(kind):
        values = numpy_of(column.cast(pa.float64()))
        gaps = np.flatnonzero(np.isnan(values))
        if len(gaps) and np.all(np.floor(values[~np.isnan(values)]) == values[~np.isnan(values)]):
            raise Bad(int(gaps[0]), "nothing", f"{expected}; drop such rows, or fill them in", len(gaps))
    raise Bad(0, f"a column of {kind}", f"{expected}; make text of it, as in astype(str)")


def ids(encoded: pa.DictionaryArray) -> np.ndarray:
    places = encoded.indices.cast(pa.int32())
    return numpy_of(places.fill_null(MISSING) if places.null_count else places)


READERS: dict[Holds, Callable[[pa.Array], object]] = {
    "op": ops,
    "name": names,
    "key": keys,
    "flag": flags,
    "identity": identities,
}
"""By what a column holds: all but times (`times.py`) and amounts, which may have units (`amounts.py`)."""


def _holds_text(kind: pa.DataType) -> bool:
    return is_text(kind.value_type if pa.types.is_dictionary(kind) else kind)


def _as_large_text(column: pa.Array) -> pa.Array:
    """The column as text. Of a dictionary, only its values are converted."""
    if pa.types.is_dictionary(column.type):
        return pa.DictionaryArray.from_arrays(column.indices, column.dictionary.cast(pa.large_string()))
    return column.cast(pa.large_string())


def numpy_of(column: pa.Array) -> np.ndarray:
    values: np.ndarray = column.to_numpy(zero_copy_only=False)
    return values


def is_text(kind: pa.DataType) -> bool:
    return any((pa.types.is_string(kind), pa.types.is_large_string(kind), pa.types.is_string_view(kind)))


def is_number(kind: pa.DataType) -> bool:
    return any((pa.types.is_integer(kind), pa.types.is_floating(kind), pa.types.is_decimal(kind)))


def decoded(column: pa.Array) -> pa.Array:
    """The values of a column, one for each row, also where each is stored once."""
    return column.dictionary_decode() if pa.types.is_dictionary(column.type) else column


def whole(column: pa.Array, expected: str, least: int, most: int, needed: bool = False) -> np.ndarray:
    """Whole numbers within bounds. MISSING if there is none."""
    if pa.types.is_null(column.type):
        column = column.cast(pa.int64())
    if not (is_text(column.type) or is_number(column.type) or pa.types.is_boolean(column.type)):
        raise Bad(0, f"a column of {column.type}", expected)
    try:
        if pa.types.is_boolean(column.type):
            raise pa.ArrowInvalid
        numbers = column if column.type == pa.int64() else column.cast(pa.int64())
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        refuse(pc.invert(_looks_whole(column)), column, expected)
        raise Bad(0, f"a column of {column.type}", expected) from None
    if needed:
        refuse(pc.is_null(numbers), column, expected)
    low, high = (bound.as_py() for bound in pc.min_max(numbers).values())
    if low is not None and (low < least or high > most):
        refuse(pc.or_(pc.less(numbers, least), pc.greater(numbers, most)), column, expected)
    return numpy_of(numbers.fill_null(MISSING) if numbers.null_count else numbers)


def refuse(wrong: pa.Array, column: pa.Array, expected: str) -> None:
    """Raises Bad if any row is wrong."""
    rows = np.flatnonzero(numpy_of(wrong.fill_null(False)))
    if len(rows):
        row = int(rows[0])
        value = column[row].as_py()
        raise Bad(row, "nothing" if value in (None, "") else repr(value)[:60], expected, len(rows))


def _encode(column: pa.Array) -> pa.DictionaryArray:
    """Ids by first appearance. A dictionary that is already in this order is kept as it is."""
    if not pa.types.is_dictionary(column.type):
        return column.dictionary_encode()
    values = column.dictionary
    if values.null_count or len(values.unique()) < len(values):
        return column.dictionary_decode().dictionary_encode()
    places = ids(column)
    if _by_first_appearance(places, len(values)):
        return column
    dense = pa.array(places, mask=places < 0).dictionary_encode()
    return pa.DictionaryArray.from_arrays(dense.indices, values.take(dense.dictionary))


def _by_first_appearance(places: np.ndarray, values: int) -> bool:
    """Whether ids begin with 0, each new id is the next number, and all of them occur."""
    if len(places) == 0:
        return values == 0
    highest = np.maximum.accumulate(places)
    new_ones = np.all(highest[1:] - highest[:-1] <= 1)
    return bool(highest[0] <= 0 and new_ones and highest[-1] == values - 1)


def _looks_whole(column: pa.Array) -> pa.Array:
    """Which rows hold a whole number of 64 bits. This is slow, and asked only if some rows do not."""
    if pa.types.is_floating(column.type):
        return pc.and_(pc.is_finite(column), pc.equal(pc.round(column), column)).fill_null(True)
    if not is_text(column.type):
        return pa.array(np.zeros(len(column), bool))
    return pa.array([value is None or _is_whole(value) for value in column.to_pylist()])


def _is_whole(text: str) -> bool:
    return re.fullmatch(r"-?\d{1,19}", text, re.ASCII) is not None and -(2**63) <= int(text) < 2**63
