"""What a reader of a format is asked for, and what it returns."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import pyarrow as pa

from vestigo.errors import TraceError
from vestigo.trace.formats.packed import LIMITS, Limits


class Wanted(NamedTuple):
    """The columns of a file that are needed. Others need not be read."""

    columns: tuple[str, ...]
    """Their names in the file."""
    roles: Mapping[str, str]
    """Columns that become a column of the trace (``at``, ``size``, ``cost``...) without change."""
    limits: Limits = LIMITS

    def named(self, role: str) -> list[str]:
        return [column for column, known in self.roles.items() if known == role]


@dataclass(frozen=True)
class Raw:
    """The rows of a file as they are."""

    table: pa.Table
    place: Callable[[int], str]
    """Says where a row stands in the file ("line 7"), for messages."""
    has: tuple[str, ...]
    """All columns of the file, wanted or not."""
    notes: tuple[str, ...] = ()
    """What was left out because it does not concern a trace. Each is a sentence without the file's name."""
    broken: tuple[str, ...] = ()
    """What was left out because it cannot be read. A file with such rows can be refused."""
    first_time: str = ""
    """The first time as it is written, where times are text."""


def check_named_once(where: object, wanted: Wanted, columns: Iterable[str]) -> None:
    """Raises TraceError for wanted columns that the file has more than once."""
    columns = list(columns)
    if twice := [name for name in dict.fromkeys(columns) if columns.count(name) > 1 and name in wanted.columns]:
        raise TraceError([f"{where}: column {name!r} appears twice; rename one" for name in twice])


def row_place(row: int) -> str:
    """The place of a row in a file without lines."""
    return f"row {row + 1}"
