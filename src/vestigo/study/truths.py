"""The truth behind every event, as ids that are equal just if the values are."""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

import numpy as np

from vestigo.engine.native.batches import Told, is_long, told
from vestigo.trace import Trace


class Truths(NamedTuple):
    """Of every event: which value its key has at the origin once the event is known, and whether that is none."""

    value: np.ndarray
    null: np.ndarray


class Values:
    """Gives a trace's truths part by part. Values are numbered from 0 to `most`; what a write left unnamed has the id
    of the name that was seen later.
    """

    def __init__(self, trace: Trace) -> None:
        self._trace = trace
        self._whole = None if is_long(len(trace)) else list(told(trace))
        lowest, highest, names = 0, 0, []
        for _, what in self._told():
            lowest, highest = min(lowest, int(what.value.min())), max(highest, int(what.value.max()))
            names.append(what.names)
        self._lowest = lowest
        self._identity = np.arange(lowest, highest + 1)
        for unnamed, name in (pair for some in names for pair in some.tolist()):
            self._identity[unnamed - lowest] = name
        self.most = highest - lowest

    def _told(self) -> Iterable[tuple[Trace, Told]]:
        return told(self._trace) if self._whole is None else self._whole

    def __iter__(self) -> Iterator[tuple[Trace, Truths]]:
        for part, what in self._told():
            value = self._identity[what.value - self._lowest] - self._lowest
            yield part, Truths(value.astype(np.int64), what.null)


def truths(trace: Trace) -> Truths:
    """Of the whole trace."""
    parts = [truth for _, truth in Values(trace)]
    if not parts:
        return Truths(np.empty(0, np.int64), np.empty(0, bool))
    return Truths(*map(np.concatenate, zip(*parts, strict=True))) if len(parts) > 1 else parts[0]
