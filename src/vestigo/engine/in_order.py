"""Sorts long columns piece by piece, so that the work can be stopped in between. The order is that of a stable sort."""

from collections.abc import Iterator

import numpy as np

from vestigo.stopping import check
from vestigo.trace.trace import Longs

PIECE = 1 << 20
_SAMPLED = 1 << 14


def pieces(rows: int) -> Iterator[slice]:
    """Slices that cover so many rows. Between them the work may be stopped."""
    for begin in range(0, rows, PIECE):
        check()
        yield slice(begin, min(begin + PIECE, rows))
    check()


def stable_order(values: np.ndarray) -> Longs:
    """The rows in the order of their values. Rows with the same value stay in order.

    >>> stable_order(np.array([5, 3, 5, 1])).tolist()
    [3, 1, 0, 2]
    """
    edges = _edges(values)
    parts: list[list[Longs]] = [[] for _ in range(len(edges) + 1)]
    for piece in pieces(len(values)):
        place = np.searchsorted(edges, values[piece], side="right").astype(np.uint16)
        order = np.argsort(place, kind="stable")
        ends = np.cumsum(np.bincount(place, minlength=len(parts)))
        for part, rows in zip(parts, np.split(order + piece.start, ends[:-1]), strict=True):
            part.append(rows)
    ordered: list[Longs] = []
    for part in parts:
        check()
        rows = np.concatenate(part) if part else np.empty(0, np.int64)
        ordered.append(rows[np.argsort(values[rows], kind="stable")])
    return np.concatenate(ordered)


def taken(column: np.ndarray, order: Longs) -> np.ndarray:
    """The rows of a column in another order."""
    found = np.empty(len(order), column.dtype)
    for piece in pieces(len(order)):
        found[piece] = column[order[piece]]
    return found


def _edges(values: np.ndarray) -> np.ndarray:
    """Values between which about as many rows lie as in a piece."""
    count = min(len(values) // PIECE, 1000)
    if count == 0:
        return values[:0]
    sample = np.sort(values[:: max(len(values) // _SAMPLED, 1)])
    return np.unique(sample[np.linspace(0, len(sample) - 1, count + 2).astype(np.int64)[1:-1]])
