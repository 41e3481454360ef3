"""A trace: events in time order, as NumPy columns with dense ids."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from enum import IntEnum
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import numpy.typing as npt

if TYPE_CHECKING:
    import pandas as pd

Ints = npt.NDArray[np.int32]
Longs = npt.NDArray[np.int64]

MISSING = -1
"""Stands in every id column, and in `size`, `cost` and `found`, where a row says nothing."""


def alike(value: int, rows: int, dtype: npt.DTypeLike) -> npt.NDArray[Any]:
    """A column with the same in every row, which takes no memory."""
    return np.broadcast_to(np.array(value, dtype), rows)


class Op(IntEnum):
    """What happened."""

    READ = 0
    WRITE = 1
    REMOVE = 2
    PRELOAD = 3
    CLEAR = 4
    RESTART = 5


LAST_KEYED = Op.PRELOAD
"""This and what comes before it happens to a key."""


class Range(NamedTuple):
    """The least and the most of a column, MISSING among them; 0 of no rows."""

    least: int
    most: int


@dataclass(frozen=True, eq=False)
class Trace:
    """Events in time order, one row an event. Immutable; its arrays are read-only.

    Ids are numbered by first appearance; `lookups`, `keys` and `nodes` give the texts behind them. A key
    belongs to one look-up: the same text under two look-ups is two keys. Made by `read_trace`, or by
    `Trace.from_table` from columns.
    """

    at: Longs
    """When, in ns since the Unix epoch, UTC."""
    op: npt.NDArray[np.uint8]
    """What happened: an `Op`."""
    lookup: Ints
    """Which look-up; MISSING for a clear of all and for a restart."""
    key: Ints
    """Which key; MISSING for a clear and a restart."""
    size: Longs
    """Bytes of the value, or MISSING."""
    cost: Longs
    """How long the origin took in ns, or MISSING."""
    found: npt.NDArray[np.int8]
    """1: a value, 0: a null, MISSING."""
    version: Ints
    """Identity of the value, or MISSING."""
    scope: Ints
    """Request, session or page, or MISSING."""
    node: Ints
    """Process or server, or MISSING."""
    force: npt.NDArray[np.bool_]
    """Whether the caller asked for a fresh value."""
    lookups: tuple[str, ...]
    keys: Sequence[Any]
    """The text or number of each key."""
    key_lookup: Ints
    """The look-up of each key."""
    nodes: tuple[str, ...] = ()
    versions: Sequence[Any] = ()
    """What stands behind each version; nothing where versions are but told apart."""
    scopes: Sequence[Any] = ()
    moved: int = 0
    """How many rows stood after a later one and were sorted into place."""
    source: str = "trace"
    notes: tuple[str, ...] = ()
    """What was assumed or left out while it was read, a sentence each."""
    guessed: tuple[str, ...] = ()
    """Units that nobody stated, a few words each."""

    def __post_init__(self) -> None:
        for field in fields(self):
            value = getattr(self, field.name)
            if isinstance(value, np.ndarray):
                value.flags.writeable = False

    @classmethod
    def from_table(cls, table: Any, source: str = "table") -> "Trace":
        """From an Arrow table, a pandas DataFrame, or a mapping of columns (docs/semantics.md, section 1).

        Raises TraceError, which names every wrong column.

        >>> Trace.from_table({"at": [10, 20, 30], "key": ["a", "b", "a"]}).key.tolist()
        [0, 1, 0]
        """
        from vestigo.trace.reading.build import Origin, build_trace, check_columns, to_arrow

        return build_trace([check_columns(to_arrow(table), Origin(source))], source)

    def __len__(self) -> int:
        return len(self.at)

    @property
    def reads(self) -> int:
        return sum(int(np.count_nonzero(part.op == Op.READ)) for part in self.parts())

    def parts(self, events: int = 1 << 20) -> list["Trace"]:
        """The trace in parts of so many events, in order: views that share its ids and their texts.

        What is worked out part by part takes little memory, however long the trace is.

        >>> [len(part) for part in Trace.from_table({"at": [10, 20, 30], "key": ["a", "b", "a"]}).parts(2)]
        [2, 1]
        """
        if len(self) <= events:
            return [self] if len(self) else []
        columns = {field.name: getattr(self, field.name) for field in fields(self) if field.name != "key_lookup"}
        rows = {name: column for name, column in columns.items() if isinstance(column, np.ndarray)}

        def part(begin: int) -> Trace:
            views: Any = {name: column[begin : begin + events] for name, column in rows.items()}
            return replace(self, **views)

        return [part(begin) for begin in range(0, len(self), events)]

    @cached_property
    def ops(self) -> frozenset[Op]:
        """What happens at all."""
        counts = sum((np.bincount(part.op, minlength=len(Op)) for part in self.parts()), np.zeros(len(Op), np.int64))
        return frozenset(op for op in Op if counts[op])

    @cached_property
    def sizes(self) -> Range:
        return _range(self.size)

    @cached_property
    def costs(self) -> Range:
        return _range(self.cost)

    @property
    def span_ns(self) -> int:
        """From the first event to the last."""
        return int(self.at[-1] - self.at[0]) if len(self) else 0

    def to_pandas(self) -> "pd.DataFrame":
        """One row an event, ids replaced by the texts behind them."""
        import pandas as pd

        def texts(ids: Ints, names: Sequence[Any]) -> Any:
            return pd.Series(np.array([*names, None], dtype=object)[ids])

        def told(ids: Ints, names: Sequence[Any]) -> Any:
            return texts(ids, list(map(str, names))) if len(names) else pd.Series(ids).where(ids != MISSING)

        return pd.DataFrame(
            {
                "at": pd.to_datetime(self.at, utc=True),
                "op": texts(self.op.astype(np.int32), [op.name.lower() for op in Op]),
                "lookup": texts(self.lookup, self.lookups),
                "key": texts(self.key, self.keys),
                "size": pd.Series(self.size).where(self.size != MISSING).astype("Int64"),
                "cost": pd.Series(self.cost).where(self.cost != MISSING).astype("Int64"),
                "found": pd.Series(self.found).where(self.found != MISSING).astype("boolean"),
                "version": told(self.version, self.versions),
                "scope": told(self.scope, self.scopes),
                "node": texts(self.node, self.nodes),
                "force": self.force,
            }
        )

    def __repr__(self) -> str:
        from vestigo.units import format_seconds

        return (
            f"<Trace {self.source}: {len(self):,} events, {self.reads:,} reads of {len(self.keys):,} keys in "
            f"{len(self.lookups)} look-ups over {format_seconds(self.span_ns / 1e9)}>"
        )


def _range(column: Longs) -> Range:
    return Range(int(column.min()), int(column.max())) if len(column) else Range(0, 0)
