"""The truth at every event, as ids that are equal exactly if the values are."""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

import numpy as np

from vestigo.prepared import memory
from vestigo.prepared.truth import Truth, parts_with_truth
from vestigo.trace import Trace


class Truths(NamedTuple):
    """For every event, the value of its key at the origin after the event, and whether that is null."""

    value: np.ndarray
    null: np.ndarray


class Values:
    """The truths of a trace, part by part. Values are numbered from 0 to `most`. A value that a write left unnamed has
    the id of the name that was seen later.
    """

    def __init__(self, trace: Trace) -> None:
        self._trace = trace
        self._whole = None if memory.is_long(len(trace)) else list(parts_with_truth(trace))
        lowest, highest, names = 0, 0, []
        for _, truth in self._parts():
            lowest, highest = min(lowest, int(truth.value.min())), max(highest, int(truth.value.max()))
            names.append(truth.names)
        self._lowest = lowest
        self._identity = np.arange(lowest, highest + 1)
        for unnamed, name in (pair for some in names for pair in some.tolist()):
            self._identity[unnamed - lowest] = name
        self.most = highest - lowest

    def _parts(self) -> Iterable[tuple[Trace, Truth]]:
        return parts_with_truth(self._trace) if self._whole is None else self._whole

    def __iter__(self) -> Iterator[tuple[Trace, Truths]]:
        for part, truth in self._parts():
            value = self._identity[truth.value - self._lowest] - self._lowest
            yield part, Truths(value.astype(np.int64), truth.null)


def truths(trace: Trace) -> Truths:
    """The truths of the whole trace."""
    parts = [truth for _, truth in Values(trace)]
    if not parts:
        return Truths(np.empty(0, np.int64), np.empty(0, bool))
    return Truths(*map(np.concatenate, zip(*parts, strict=True))) if len(parts) > 1 else parts[0]
