"""Stores what is worked out for every event of a trace, part by part, because memory may not hold it all."""

import os
import tempfile

import numpy as np
import numpy.typing as npt

from vestigo.errors import TraceError
from vestigo.prepared import memory
from vestigo.units import format_bytes


def column(rows: int, dtype: npt.DTypeLike) -> np.ndarray:
    """An array to be filled. For a long trace it lies in a file without a name, which disappears with the array, and
    the system keeps in memory what fits. Raises TraceError if the disk has no room.
    """
    if not memory.is_long(rows):
        return np.empty(rows, dtype)
    size = rows * np.dtype(dtype).itemsize
    with tempfile.TemporaryFile(prefix="vestigo-") as file:
        try:
            os.posix_fallocate(file.fileno(), 0, size)  # now: a page without room would end the process
        except OSError as error:
            where = tempfile.gettempdir()
            raise TraceError(
                f"{where}: no room for {format_bytes(size)} that a long trace needs ({error.strerror}); free some, or "
                "name another folder by the environment's TMPDIR"
            ) from None
        return np.asarray(np.memmap(file, dtype, "r+", shape=(rows,)))
