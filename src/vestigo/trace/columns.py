"""What a column of a trace is: its type, its content, and its bounds."""

from collections.abc import Mapping
from dataclasses import Field
from typing import Any, Literal, NamedTuple

import numpy.typing as npt

MISSING = -1
"""Stands in every column of ids or amounts where a row says nothing."""

EARLIEST, LATEST = -631_152_000_000_000_000, 4_102_444_800_000_000_000
"""The years 1950 and 2100, in ns since 1970."""
LARGEST = 2**60
"""Bytes of a value."""
MOST_LOOKUPS = 10_000

Holds = Literal["time", "op", "name", "key", "identity", "size", "span", "flag"]
"""What files give for a column, and so how it is read (`reading/columns.py`)."""


class Column(NamedTuple):
    """One column. A field of `Trace` states it, and files, shapes, what-ifs and results follow it."""

    name: str
    dtype: npt.DTypeLike
    holds: Holds
    texts: str = ""
    """The field of `Trace` with the values of its ids. Empty if it holds no ids."""
    most: int = 0
    """The largest amount."""
    missing: int = MISSING
    """The value that stands for "not given"."""
    is_needed: bool = False
    """Whether files have the column even if no row gives a value."""


def column(dtype: npt.DTypeLike, holds: Holds, **more: Any) -> dict[str, object]:
    """The metadata of a field of `Trace` that is a column."""
    return {"column": lambda name: Column(name, dtype, holds, **more)}


def columns_of(each: tuple["Field[object]", ...]) -> Mapping[str, Column]:
    """The columns among a class's fields, in order."""
    return {one.name: one.metadata["column"](one.name) for one in each if "column" in one.metadata}
