"""What a reader of a format is asked for, and what it gives."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import pyarrow as pa

from vestigo.trace.formats.packed import LIMITS, Limits


class Wanted(NamedTuple):
    """The columns of a file that are of use. Others need not be read."""

    columns: tuple[str, ...]
    """In the words of the file."""
    roles: Mapping[str, str]
    """Which column of a trace a file's column becomes as it is: ``at``, ``size``, ``cost``..."""
    limits: Limits = LIMITS

    def named(self, role: str) -> list[str]:
        return [column for column, known in self.roles.items() if known == role]


@dataclass(frozen=True)
class Raw:
    """The rows of a file as it has them."""

    table: pa.Table
    place: Callable[[int], str]
    """Says where a row stands in the file ("line 7"), for messages."""
    has: tuple[str, ...]
    """All columns of the file, wanted or not."""
    notes: tuple[str, ...] = ()
    """What was left out because it is none of a trace's business, a sentence each, without the file's name."""
    broken: tuple[str, ...] = ()
    """What was left out because it cannot be read: a file of which this is said can be refused."""


def repeated(wanted: Wanted, columns: Iterable[str]) -> list[str]:
    """Wanted columns that stand there more than once."""
    columns = list(columns)
    return [name for name in dict.fromkeys(columns) if columns.count(name) > 1 and name in wanted.columns]


def row_place(row: int) -> str:
    """In a file without lines."""
    return f"row {row + 1}"
