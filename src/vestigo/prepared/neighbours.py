"""Each row beside the one before it, where rows are in order of their keys: whether the key goes on, whether its value
changed, whether it was there before.
"""

import numpy as np


def goes_on(*columns: np.ndarray) -> np.ndarray:
    """Whether each row is the same as the one before in all columns. The first is not.

    >>> goes_on(np.array([1, 1, 2, 2])).tolist()
    [False, True, False, True]
    """
    same = np.zeros(len(columns[0]), bool)
    same[1:] = True
    for column in columns:
        same[1:] &= column[1:] == column[:-1]
    return same


def changed(key: np.ndarray, value: np.ndarray) -> np.ndarray:
    """The rows at which a key has another value than at its row before.

    >>> changed(np.array([1, 1, 1, 2]), np.array([5, 6, 6, 7])).tolist()
    [False, True, False, False]
    """
    other = goes_on(key)
    other[1:] &= value[1:] != value[:-1]
    return other


def seen_before(*columns: np.ndarray) -> np.ndarray:
    """Whether some earlier row is the same in all columns. Rows may be in any order.

    >>> seen_before(np.array([1, 2, 1])).tolist()
    [False, False, True]
    """
    order = np.lexsort(columns)
    seen = np.empty(len(order), bool)
    seen[order] = goes_on(*(column[order] for column in columns))
    return seen


def most_so_far(is_first: np.ndarray, values: np.ndarray, below: int) -> np.ndarray:
    """The largest value up to each row, in groups whose first rows are marked. All values are at least 0, and less than
    `below`.

    >>> most_so_far(np.array([True, False, True, False]), np.array([3, 1, 2, 5]), 10).tolist()
    [3, 3, 2, 5]
    """
    lifted = np.cumsum(is_first) * below  # each group lies above the ones before it
    most: np.ndarray = np.maximum.accumulate(lifted + values) - lifted
    return most
