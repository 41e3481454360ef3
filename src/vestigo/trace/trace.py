"""A trace: events in time order, as NumPy columns with dense ids."""

from dataclasses import dataclass, field, fields, replace
from enum import IntEnum
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import numpy.typing as npt

from vestigo.data import Data, Told
from vestigo.memo import Memo
from vestigo.trace.columns import LARGEST, MISSING, Column, column, columns_of
from vestigo.trace.names import Texts
from vestigo.units import LONGEST

if TYPE_CHECKING:
    import pandas as pd

Ints = npt.NDArray[np.int32]
Longs = npt.NDArray[np.int64]


Parts = dict[str, Any]
"""The arguments of `Trace` by name."""


def constant_column(value: int, rows: int, dtype: npt.DTypeLike) -> np.ndarray:
    """A column with the same value in every row, which takes no memory."""
    one = np.array(value, dtype)
    one.flags.writeable = False
    return np.broadcast_to(one, rows)


class Op(IntEnum):
    """What happened."""

    READ = 0
    WRITE = 1
    REMOVE = 2
    PRELOAD = 3
    DROP = 4
    CLEAR = 5
    RESTART = 6


OPS = [op.name.lower() for op in Op]
"""In the words of files."""

LAST_KEYED = Op.DROP
"""This and what comes before it happens to a key."""

LAST_VALUED = Op.PRELOAD
"""This and what comes before it has a value: it tells something of what the origin has."""


class Range(NamedTuple):
    """The smallest and the largest value of a column, MISSING included. 0 if there are no rows."""

    least: int
    most: int


@dataclass(frozen=True, eq=False, repr=False)
class Trace(Data, Memo):
    """Events in time order, one row each. A trace is immutable, and its arrays are read-only.

    Ids are numbered by first appearance, and `lookups`, `keys` and `nodes` have their texts. A key belongs to one
    look-up: the same text under two look-ups is two keys. `read_trace` makes it from files or tables.
    """

    at: Longs = field(metadata=column(np.int64, "time", is_needed=True))
    """When, in ns since the Unix epoch, UTC."""
    op: npt.NDArray[np.uint8] = field(metadata=column(np.uint8, "op", missing=0, is_needed=True))
    """What happened: an `Op`."""
    lookup: Ints = field(metadata=column(np.int32, "name", texts="lookups", is_needed=True))
    """The look-up. MISSING for a clear of everything and for a restart."""
    key: Ints = field(metadata=column(np.int32, "key", texts="keys", is_needed=True))
    """The key. MISSING for a clear and a restart."""
    size: Longs = field(metadata=column(np.int64, "size", most=LARGEST))
    """Bytes of the value, or MISSING."""
    cost: Longs = field(metadata=column(np.int64, "span", most=LONGEST))
    """How long the origin took in ns, or MISSING."""
    found: npt.NDArray[np.int8] = field(metadata=column(np.int8, "flag", most=1))
    """1: a value, 0: a null, MISSING."""
    version: Ints = field(metadata=column(np.int32, "identity", texts="versions"))
    """Identity of the value, or MISSING."""
    scope: Ints = field(metadata=column(np.int32, "name", texts="scopes"))
    """Request, session or page, or MISSING."""
    node: Ints = field(metadata=column(np.int32, "name", texts="nodes"))
    """Process or server, or MISSING."""
    force: npt.NDArray[np.bool_] = field(metadata=column(np.bool_, "flag", missing=0))
    """Whether the caller asked for a fresh value."""
    hit_cost: Longs = field(metadata=column(np.int64, "span", most=LONGEST))
    """How long a cache took that answered in place of the origin, in ns, or MISSING. Replays do not ask for it."""
    lookups: tuple[str, ...]
    keys: Texts
    """The text or number of each key."""
    key_lookup: Ints
    """The look-up of each key."""
    nodes: tuple[str, ...] = ()
    versions: Texts = ()
    """The name of each version. Empty if versions are only told apart."""
    scopes: Texts = ()
    moved: int = field(default=0, compare=False)
    """How many rows came after a later one, and were sorted into place."""
    source: str = field(default="trace", compare=False)
    notes: tuple[str, ...] = field(default=(), compare=False)
    """What was assumed or left out while it was read, in sentences."""
    guessed: tuple[str, ...] = field(default=(), compare=False)
    """Units that nobody stated, a few words each."""
    behind: str | None = field(default=None, compare=False)
    """What the intake says of a cache that answered some reads: ``no`` for none, its lifetime, or None for nothing."""
    kept: dict[object, Any] = field(init=False, repr=False, compare=False, default_factory=dict)
    """What was worked out once for all replays. It disappears with the trace."""

    def __post_init__(self) -> None:
        for one in fields(self):
            value = getattr(self, one.name)
            if isinstance(value, np.ndarray):
                value.flags.writeable = False

    def __len__(self) -> int:
        return len(self.at)

    def __getstate__(self) -> dict[str, object]:
        return {one.name: {} if one.name == "kept" else getattr(self, one.name) for one in fields(self)}

    @property
    def reads(self) -> int:
        return self.once("reads", lambda: sum(int(np.count_nonzero(block.op == Op.READ)) for block in self.blocks()))

    def blocks(self, events: int = 1 << 20) -> list["Trace"]:
        """The trace in blocks of `events` events, in order. Blocks are views that share its ids and their texts.

        Work that goes block by block takes little memory, however long the trace is.

        >>> from vestigo import read_trace
        >>> [len(block) for block in read_trace({"at": [10, 20, 30], "key": ["a", "b", "a"]}).blocks(2)]
        [2, 1]
        """
        if len(self) <= events:
            return [self] if len(self) else []
        return [self.block(begin, begin + events) for begin in range(0, len(self), events)]

    def block(self, begin: int, end: int) -> "Trace":
        """A view of these rows, which shares the trace's ids and their texts."""
        return self._of_rows(slice(begin, end))

    def take(self, rows: np.ndarray) -> "Trace":
        """A copy of these rows (in ascending order), with the same ids."""
        return self._of_rows(rows)

    def _of_rows(self, rows: Any) -> "Trace":
        columns = {one.name: getattr(self, one.name) for one in fields(self) if one.name != "key_lookup"}
        chosen: Parts = {name: column[rows] for name, column in columns.items() if isinstance(column, np.ndarray)}
        return replace(self, **chosen)

    @cached_property
    def ops(self) -> frozenset[Op]:
        """The operations that occur."""
        counts = sum((np.bincount(block.op, minlength=len(Op)) for block in self.blocks()), np.zeros(len(Op), np.int64))
        return frozenset(op for op in Op if counts[op])

    @cached_property
    def size_range(self) -> Range:
        return _range(self.size)

    @cached_property
    def cost_range(self) -> Range:
        return _range(self.cost)

    @property
    def span_ns(self) -> int:
        """The time from the first event to the last, in ns."""
        return int(self.at[-1] - self.at[0]) if len(self) else 0

    def to_dict(self) -> Told:
        """A list for each column, in the form that `read_trace` takes: times and costs in ns, None for missing
        values.
        """
        exact: dict[str, list[object]] = {"at": self.at.tolist()}
        for name in [one.name for one in COLUMNS.values() if one.holds == "span"]:
            exact[name] = [None if span == MISSING else span for span in getattr(self, name).tolist()]
        frame = self.to_pandas().drop(columns=list(exact)).astype(object)
        each: dict[Any, list[object]] = {**frame.where(frame.notna(), None).to_dict("list"), **exact}
        return {name: each[name] for name in COLUMNS}

    def to_pandas(self) -> "pd.DataFrame":
        """One row for each event, with texts in place of ids, and missing values where MISSING stands. Times and costs
        are those of pandas. `read_trace` makes the same trace of it.
        """
        import pandas as pd

        return pd.DataFrame({one.name: self._for_people(one) for one in COLUMNS.values()})

    def _for_people(self, column: Column) -> object:  # noqa: PLR0911  # one line a kind
        import pandas as pd
        import pyarrow as pa

        from vestigo.trace.names import arrow_names

        values = getattr(self, column.name)
        match column.holds:
            case "time":
                return pd.to_datetime(values, utc=True)
            case "op":
                return pd.Series(np.array([op.name.lower() for op in Op], dtype=object)[values])
            case "flag":
                return (
                    values if column.dtype == np.bool_ else pd.Series(values).where(values != MISSING).astype("boolean")
                )
            case "span":
                return pd.Series(pd.to_timedelta(values, unit="ns")).where(values != MISSING)
            case "size":
                return pd.Series(values).where(values != MISSING).astype("Int64")
        texts = getattr(self, column.texts)
        if not len(texts):
            return pd.Series(values).where(values != MISSING).astype("Int64")
        names = arrow_names(texts).take(pa.array(values, mask=values == MISSING))
        return names.to_pandas(types_mapper=lambda kind: pd.Int64Dtype() if pa.types.is_integer(kind) else None)

    def __repr__(self) -> str:
        from vestigo.units import format_seconds

        return (
            f"<Trace {self.source}: {len(self):,} events, {self.reads:,} reads of {len(self.keys):,} keys in "
            f"{len(self.lookups)} look-ups over {format_seconds(self.span_ns / 1e9)}>"
        )


COLUMNS = columns_of(fields(Trace))
"""By name, in the order of a trace's fields."""


def _range(column: Longs) -> Range:
    return Range(int(column.min()), int(column.max())) if len(column) else Range(0, 0)
