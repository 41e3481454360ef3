"""How much of a trace is worked on at one time, and arrays that the kernel takes without a copy."""

from typing import Any, TypeVar

import numpy as np

KEPT_EVENTS = 1 << 24
"""What is prepared of a trace of no more events is kept while it lives. Of a longer one it is made anew for every
replay, so that memory grows with its keys alone."""

BATCH_EVENTS = 1 << 20
_Array = TypeVar("_Array", bound=np.ndarray[Any, Any])


def is_long(events: int) -> bool:
    """Whether a trace of so many events is worked on part by part, to save memory."""
    return events > KEPT_EVENTS


def settled(array: _Array) -> _Array:
    """The array, read-only from now on. Only what was just made may be settled, and what it is a view of.

    >>> settled(np.arange(3)).flags.writeable
    False
    """
    whole: object = array
    while isinstance(whole, np.ndarray):
        whole.flags.writeable = False
        whole = whole.base
    return array
