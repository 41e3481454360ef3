"""Arrays that nobody writes any more, so that the kernel can take them without a copy."""

from typing import Any, TypeVar

import numpy as np

_Array = TypeVar("_Array", bound=np.ndarray[Any, Any])


def settled(array: _Array) -> _Array:
    """The array, read-only from now on. Only what was just made may be settled, and what it is a view of.

    >>> settled(np.arange(3)).flags.writeable
    False
    """
    whole: Any = array
    while isinstance(whole, np.ndarray):
        whole.flags.writeable = False
        whole = whole.base
    return array
