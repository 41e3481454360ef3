"""The candidates that no other beats."""

from collections.abc import Sequence

import numpy as np

from vestigo.arguments import several
from vestigo.choosing.candidates import Candidate
from vestigo.errors import RulesError
from vestigo.measures import asked_measure


def unbeaten(candidates: Sequence[Candidate], measures: Sequence[str], part: str = "whole") -> list[Candidate]:
    """The candidates that no other beats, best in the first measure first. Raises UnknownName for a measure that does
    not exist.
    """
    return [candidates[place] for place in unbeaten_rows(costs(candidates, measures, part))]


def unbeaten_rows(table: np.ndarray) -> list[int]:
    """The rows of a table that no other row beats, where less is better. Of equal rows, the first."""
    order = np.lexsort(table.T[::-1])
    kept: list[int] = []
    for place in order:  # a row that beats it comes before it, and so does a row that beats that one
        if not (kept and np.any(np.all(table[kept] <= table[place], axis=1))):
            kept.append(int(place))
    return kept


def costs(candidates: Sequence[Candidate], measures: Sequence[str], part: str = "whole") -> np.ndarray:
    """A table with a row for each candidate and a column for each measure. Less is better."""
    names = several("measures", measures, '["hit_rate", "memory_peak"]')
    if not names:
        raise RulesError('measures: none is named; write ["hit_rate", "memory_peak"], for example')
    signs = [-1.0 if asked_measure(name).more_is_better else 1.0 for name in names]
    rows = [[sign * one.measure(name, part) for sign, name in zip(signs, names, strict=True)] for one in candidates]
    return np.array(rows, float).reshape(len(candidates), len(names))
