"""What each read of a trace met with."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from vestigo.data import Data, Told
from vestigo.errors import InputError
from vestigo.outcome.counts import CAUSES
from vestigo.outcome.seen import FAILED, MISS, NO_AGE, NULL, Answers
from vestigo.trace import Op, Trace
from vestigo.trace.names import arrow_names
from vestigo.units import SECOND

if TYPE_CHECKING:
    import pandas as pd

_ANSWERS = ("hit", "joined", "miss", "failed")
_FAILED = _ANSWERS.index("failed")  # the others have the numbers of HIT, JOINED and MISS


@dataclass(frozen=True, eq=False, repr=False)
class Reads(Data):
    """One row for each read, in the order of the trace. `read_by_read` returns it.

    Columns: `event` (the row of the trace, from 0), `at`, `lookup`, `key`, `node`, `scope`; `answer` (``hit``,
    ``joined``, ``miss``, ``failed``) and the `cause` of a miss; `read_time_ns`; `age_ns` of a hit (since the load of
    what was given); `stale_age_ns` of a stale hit or join (since the change); `null`, whether the reader was given
    nothing; and whether the read was `counted`, or belongs to the warm-up. A value that does not apply is missing.
    """

    trace: Trace
    answers: Answers
    """Has a value for each row of the trace."""
    counted_from: int
    """The first row after the warm-up."""

    def __len__(self) -> int:
        return self.trace.reads

    def __repr__(self) -> str:
        return f"<Reads: {len(self):,} reads of {self.trace.source}>"

    def to_arrow(self) -> pa.Table:
        """As an Arrow table. Texts and causes are dictionaries, times are in UTC."""
        return reads_table(self.trace, self.answers, self.counted_from)

    def to_pandas(self) -> "pd.DataFrame":
        """As a pandas frame with spans in seconds: `read_time`, `age`, `stale_age`. `null` and `counted` are booleans,
        and missing values are ``NaN`` or ``NaT``. `to_arrow` has the spans exactly.
        """
        frame: pd.DataFrame = self.to_arrow().to_pandas()
        spans = [name for name in frame.columns if name.endswith("_ns")]
        seconds = {name: frame[name].astype(float) / SECOND for name in spans}
        return frame.assign(**seconds).rename(columns={name: name.removesuffix("_ns") for name in spans})

    def to_kept(self) -> Told:
        raise InputError("a table of reads is not saved as JSON; write its to_arrow() to a file")

    def to_dict(self) -> Told:
        """A list for each column; times in ns."""
        table = self.to_arrow()
        return {name: table[name].to_pylist() for name in table.column_names} | {
            "at": table["at"].cast(pa.int64()).to_pylist()
        }


def reads_table(trace: Trace, answers: Answers, counted_from: int, first_event: int = 0) -> pa.Table:
    """The reads of a trace, or of a part that begins at the row `first_event`."""
    rows = np.flatnonzero(trace.op == Op.READ)
    is_whole = len(rows) == len(trace)

    def of(column: np.ndarray) -> np.ndarray:
        return column if is_whole else column[rows]

    code = of(answers.answer) & (NULL - 1)
    failed = code == FAILED
    ages = of(answers.age_ns)
    stale_ages = np.full(len(rows), NO_AGE)
    stale_ages[np.searchsorted(rows, answers.stale_rows)] = answers.stale_ages_ns
    return pa.table(
        {
            "event": first_event + rows,
            "at": pa.array(of(trace.at)).cast(pa.timestamp("ns", "UTC")),
            "lookup": _texts(of(trace.lookup), trace.lookups),
            "key": _texts(of(trace.key), trace.keys),
            "node": _texts(of(trace.node), trace.nodes),
            "scope": _texts(of(trace.scope), trace.scopes),
            "answer": _texts(np.where(failed, _FAILED, np.minimum(code, MISS)).astype(np.int32), _ANSWERS),
            "cause": _texts(np.where(failed, -1, code.astype(np.int32) - MISS).astype(np.int32), CAUSES),
            "read_time_ns": of(answers.read_time_ns),
            "age_ns": pa.array(ages, mask=ages == NO_AGE),
            "stale_age_ns": pa.array(stale_ages, mask=stale_ages == NO_AGE),
            "null": of(answers.answer) >= NULL,
            "counted": first_event + rows >= counted_from,
        }
    )


def _texts(ids: np.ndarray, names: Sequence[object]) -> pa.DictionaryArray:
    """Texts for ids. An id below 0 has none. A text that several ids share (one key of two look-ups) is stored once."""
    texts = (arrow_names(names) if len(names) else pa.array([], pa.string())).dictionary_encode()
    places = pa.array(np.ascontiguousarray(ids), mask=ids < 0)
    return pa.DictionaryArray.from_arrays(texts.indices.take(places), texts.dictionary)
