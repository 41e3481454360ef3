"""Guesses what untried settings would give from what was tried."""

from collections.abc import Sequence

import numpy as np

_IN_ORDER_FROM = 4
"""So many values of a key are taken to be in order: those beside each other give alike amounts."""
_WEIGHT = 0.5
"""Of a set of keys that work together, beside the same set less one."""


def guessed(values: Sequence[int], tried: np.ndarray, amounts: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """The amounts at the `wanted` places, guessed from those at the places `tried`.

    Each value of each key is assumed to add its own amount, each pair of values another, and so on. The amounts become
    smaller with more keys. This is the mean of a Gaussian process with an analysis-of-variance kernel (N. Durrande, D.
    Ginsbourger, O. Roustant, L. Carraro, "ANOVA kernels and RKHS of zero mean functions", 2013). `values` says how many
    values each key has. A row of `tried` or `wanted` says which value each key has, and a row of `amounts` what was
    found.

    >>> tried, amounts = np.array([[0, 0], [1, 0], [0, 1]]), np.array([[10.0], [13.0], [14.0]])
    >>> guessed([2, 2], tried, amounts, np.array([[1, 0], [1, 1]])).round(1).tolist()
    [[13.0], [14.9]]
    """
    mean = amounts.mean(axis=0)
    known = _alike(values, tried, tried) + 1e-6 * np.eye(len(tried))
    result: np.ndarray = mean + _alike(values, wanted, tried) @ np.linalg.solve(known, amounts - mean)
    return result


def _alike(values: Sequence[int], some: np.ndarray, others: np.ndarray) -> np.ndarray:
    """For each pair of places, how much one tells of the other."""
    result = np.ones((len(some), len(others)))
    for key, many in enumerate(values):
        apart = np.abs(some[:, [key]] - others[:, key])
        near = np.exp(-4 * apart / many) if many >= _IN_ORDER_FROM else apart == 0
        result *= 1 + _WEIGHT * near
    return result
