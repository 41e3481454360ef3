"""The truth behind every event, as ids that are equal just if the values are."""

from typing import NamedTuple

import numpy as np

from vestigo.engine.native.batches import NULL_VALUE, told
from vestigo.trace import Trace


class Truths(NamedTuple):
    """Of every event: which value its key has at the origin once the event is known, and whether that is none."""

    value: np.ndarray
    null: np.ndarray


def truths(trace: Trace) -> Truths:
    """Values are numbered from 0; what a write left unnamed has the id of the name that was seen later."""
    value, names = np.empty(len(trace), np.int32), []
    for part, what in told(trace, max(len(trace), 1)):
        value[: len(part)] = what.value
        names = what.names.tolist()
    lowest = int(value.min(initial=0))
    identity = np.arange(lowest, int(value.max(initial=0)) + 1)
    for unnamed, name in names:
        identity[unnamed - lowest] = name
    return Truths((identity[value - lowest] - lowest).astype(np.int64), value == NULL_VALUE)
