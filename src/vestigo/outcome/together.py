"""Measures of several slices of time as one."""

from collections.abc import Sequence
from dataclasses import fields
from typing import Any

import numpy as np

from vestigo.outcome.measures import Measures
from vestigo.outcome.slices import Slices
from vestigo.outcome.spans import Spans

_MOSTS = set(
    "entries_peak memory_peak longest_read_ns oldest_answer_ns oldest_stale_ns surge_second surge_minute".split()
)
"""Of these the largest counts. A minute that lies in two stretches counts with the larger part of its calls."""


def together(slices: Slices) -> Measures:
    """What was counted in slices that follow each other. Needs one at least."""
    return Measures(**{field.name: _joined(field.name, slices.column(field.name)) for field in fields(Measures)})


def _joined(name: str, values: list[Any]) -> Any:
    if name in _MOSTS:
        return max(values)
    if name == "changes":
        return values[0]
    if name == "misses_by_cause":
        return {cause: sum(each[cause] for each in values) for cause in values[0]}
    if isinstance(values[0], Spans):
        return _merged(values)
    return sum(values)


def _merged(parts: Sequence[Spans]) -> Spans:
    ns = np.concatenate([each.ns for each in parts])
    order = np.argsort(ns, kind="stable")  # quick, as each part is in order
    ns = ns[order]
    begins = np.flatnonzero(np.diff(ns, prepend=-1))  # no span is negative
    if not len(begins):
        return Spans(ns, ns)
    return Spans(ns[begins], np.add.reduceat(np.concatenate([each.times for each in parts])[order], begins))
