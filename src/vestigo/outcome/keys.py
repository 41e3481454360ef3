"""What is counted of each key of a trace."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from vestigo.arguments import text
from vestigo.data import Data, Told
from vestigo.errors import InputError, raise_for_unknown
from vestigo.outcome.counts import CAUSES
from vestigo.outcome.seen import Counted
from vestigo.trace import Trace
from vestigo.trace.names import arrow_names
from vestigo.units import SECOND

if TYPE_CHECKING:
    import pandas as pd

_EXACT = pa.decimal128(38, 0)
_SUMS = ("held_byte_ns", "idle_byte_ns")
"""They may pass 64 bits."""
_NAMES = (
    *(
        "reads",
        "hits",
        "joined",
        "failed",
        "misses",
        *(f"misses.{cause}" for cause in CAUSES),
        "stale_hits",
        "false_nulls",
    ),
    *("loads", "origin_time_ns", "evictions", "oldest_stale_ns", "held_byte_ns", "idle_byte_ns"),
)
_EXACT_NAMES = {
    "origin_time": "origin_time_ns",
    "oldest_stale": "oldest_stale_ns",
    "held_byte_seconds": "held_byte_ns",
    "idle_byte_seconds": "idle_byte_ns",
}
"""The columns that people read in seconds, and those that hold them exactly."""
LOSSES = ("misses", "origin_time_ns", "stale_hits", "idle_byte_ns")
"""What keys are looked at for."""


@dataclass(frozen=True, eq=False, repr=False)
class Keys(Data):
    """One row for each key, in the order in which the trace first names them. `key_by_key` returns it.

    Columns: `lookup`, `key`; `reads`, `hits`, `joined`, `failed`, `misses`, and those of each cause (``misses.aged``);
    `stale_hits`, `false_nulls`; `loads` and `origin_time_ns`; `evictions`; `oldest_stale_ns`; `entry_bytes`, the mean
    size with overhead of the values that came in or were held when counting began; `held_byte_ns` and, of this,
    `idle_byte_ns`. Each column adds up exactly to the number of the outcome.
    """

    trace: Trace
    counted: Counted
    """The columns by name. Each has a value for each key (see `vestigo.outcome.seen`)."""
    changes_shown: bool
    """Whether the trace shows changes. If it does not, nothing is known to be stale."""

    def __len__(self) -> int:
        return len(self.trace.keys)

    def __repr__(self) -> str:
        return f"<Keys: {len(self):,} keys of {self.trace.source}>"

    def column(self, name: str) -> np.ndarray:
        """A column with a whole number for each key. `misses`, `loads` and `reads` are worked out from what was
        counted. Raises UnknownName.
        """
        name = _EXACT_NAMES.get(text("column", name), name)
        if name not in (*_NAMES, *self.counted):
            raise_for_unknown("column", name, _NAMES)
        misses = (self.counted[cause] for cause in CAUSES)
        match name:
            case "misses":
                return np.asarray(np.sum([*misses], axis=0, dtype=np.int64))
            case "loads":
                return self.column("misses") + self.counted["more_loads"]
            case "reads":
                return self.column("misses") + sum(self.counted[one] for one in ("hits", "joined", "failed"))
        return np.ascontiguousarray(self.counted[name.removeprefix("misses.")])

    def worst(self, loss: str, most: int = 10, lookups: Sequence[str] | None = None) -> np.ndarray:
        """The ids of the keys that have most of a column, the most first. If `lookups` are named, only their keys
        count. Keys that have none of it are left out.

        >>> import vestigo as vg
        >>> trace = vg.read_trace({"at": [0, 1, 2], "key": ["a", "b", "b"]})
        >>> vg.key_by_key(trace, vg.Rules(max_entries=1)).worst("misses", 1).tolist()
        [0]
        """
        amounts = self.column(loss).astype(float)
        if lookups:
            named = np.array([name in lookups for name in self.trace.lookups])
            amounts = np.where(named[self.trace.key_lookup], amounts, 0)
        order = np.argsort(-amounts, kind="stable")[:most]
        return order[amounts[order] > 0]

    def worst_to_dict(self, most: int = 10, lookups: Sequence[str] | None = None) -> dict[str, object]:
        """For each kind of loss, the rows of the keys that have most of it."""
        table = self.to_arrow()
        worst = {loss: table.take(self.worst(loss, most, lookups)).to_pylist() for loss in LOSSES}
        return {loss: [_with_whole_sums(row) for row in rows] for loss, rows in worst.items()}

    def main_cause(self, key: int) -> str:
        """The cause of most of the key's misses."""
        return max(CAUSES, key=lambda cause: self.counted[cause][key])

    def to_arrow(self) -> pa.Table:
        """As an Arrow table. Byte-times are decimals, because they may exceed 64 bits."""
        trace = self.trace
        keys = arrow_names(trace.keys) if len(self) else pa.array([], pa.string())
        lookups = pa.DictionaryArray.from_arrays(pa.array(trace.key_lookup), pa.array(list(trace.lookups), pa.string()))
        kept = self.column("kept")
        sizes = self.column("kept_bytes") / np.maximum(kept, 1)
        columns = {name: self.column(name).astype(np.int64) for name in ("reads", "hits", "joined", "failed", "misses")}
        columns |= {f"misses.{cause}": self.column(cause).astype(np.int64) for cause in CAUSES}
        for name in ("stale_hits", "false_nulls", "loads", "origin_time_ns", "evictions", "oldest_stale_ns"):
            columns[name] = self.column(name).astype(np.int64)
        return pa.table(
            {"lookup": lookups, "key": keys}
            | columns
            | {"entry_bytes": pa.array(sizes, mask=kept == 0)}
            | {name: _exact(self.column(name)) for name in _SUMS}
        )

    def to_pandas(self) -> "pd.DataFrame":
        """As a pandas frame with times in seconds: `origin_time`, `oldest_stale`, `held_byte_seconds`,
        `idle_byte_seconds`. `to_arrow` and `column` have them exactly.
        """
        frame: pd.DataFrame = self.to_arrow().drop_columns(list(_SUMS)).to_pandas()
        frame = frame.assign(**{name: self.column(name).astype(float) for name in _SUMS})
        seconds = {exact: frame[exact] / SECOND for exact in _EXACT_NAMES.values()}
        return frame.assign(**seconds).rename(columns={exact: name for name, exact in _EXACT_NAMES.items()})

    def to_kept(self) -> Told:
        raise InputError("a table of keys is not saved as JSON; write its to_arrow() to a file")

    def to_dict(self) -> Told:
        """A list for each column of `to_arrow`."""
        table = self.to_arrow()
        exact = {name: self.column(name).tolist() for name in _SUMS}
        return {name: table[name].to_pylist() for name in table.column_names} | exact


def _with_whole_sums(row: Told) -> dict[str, object]:
    return row | {name: int(row[name]) for name in _SUMS}


def _exact(sums: np.ndarray) -> pa.Array:
    """Whole numbers of 128 bits from a low and a high half."""
    if sums.dtype == object:
        halves = np.array([(one % 2**64, one // 2**64) for one in sums], np.uint64)
    else:
        halves = np.stack([sums.astype(np.uint64), (sums >> 63).astype(np.uint64)], axis=1)
    return pa.Array.from_buffers(_EXACT, len(sums), [None, pa.py_buffer(np.ascontiguousarray(halves))])
