"""Puts more rows between those of a trace."""

from dataclasses import replace

import numpy as np

from vestigo.stopping import check
from vestigo.trace import Trace
from vestigo.trace.trace import COLUMNS, Longs, Parts


def with_rows(trace: Trace, rows: Parts, before: Longs) -> tuple[Trace, np.ndarray]:
    """The trace with more `rows`, and which of its rows were there before.

    Each new row stands before a row of the trace, which `before` names in order. The trace's number of rows stands for
    its end. Between two columns the work may be stopped.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [1, 5], "key": ["a", "b"]})
    >>> both, were = with_rows(trace, {name: getattr(trace, name)[:1] for name in COLUMNS}, np.array([1]))
    >>> both.key.tolist(), were.tolist()
    ([0, 0, 1], [True, False, True])
    """
    places = before + np.arange(len(before))
    is_old = np.ones(len(trace) + len(before), bool)
    is_old[places] = False
    begin, end = (int(before[0]), int(before[-1])) if len(before) else (0, 0)
    between = slice(begin, end + len(before))
    columns: Parts = {}
    for name in COLUMNS:
        check()
        old: np.ndarray = getattr(trace, name)
        # What comes before all new rows, and after them, is copied as it stands, which is much faster.
        column = columns[name] = np.empty(len(is_old), old.dtype)
        column[:begin], column[between.stop :] = old[:begin], old[end:]
        column[between][is_old[between]] = old[begin:end]
        column[places] = rows[name]
    return replace(trace, **columns), is_old
