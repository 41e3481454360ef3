"""Stores what is worked out for every event of a trace, part by part, because memory may not hold it all."""

import os
import tempfile

import numpy as np
import numpy.typing as npt

from vestigo.errors import TraceError
from vestigo.prepared import memory
from vestigo.trace.columns import MISSING
from vestigo.trace.reading.build import dense
from vestigo.trace.trace import Ints, Longs
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


class Numbering:
    """Ids by first appearance, over several parts.

    >>> numbering = Numbering()
    >>> numbering.ids(np.array([70, 50, 70])).tolist(), numbering.ids(np.array([90, -1, 50])).tolist()
    ([0, 1, 0], [2, -1, 1])
    >>> numbering.codes.tolist()
    [70, 50, 90]
    """

    def __init__(self) -> None:
        self.codes: Longs = np.empty(0, np.int64)
        """What each id stands for."""
        self._order: Longs = np.empty(0, np.int64)

    def ids(self, codes: Longs) -> Ints:
        """The ids of a part's codes. Negative codes have none."""
        ids, distinct = dense(codes)
        if len(self.codes) == 0:
            self.codes = distinct
            return ids
        if len(self._order) == 0:
            self._order = np.argsort(self.codes)
        place = np.searchsorted(self.codes, distinct, sorter=self._order)
        known = np.append(self._order, 0)[place]
        new = self.codes[known] != distinct
        known[new] = len(self.codes) + np.arange(np.count_nonzero(new))
        by_code = np.argsort(distinct[new])
        self._order = np.insert(self._order, place[new][by_code], known[new][by_code])
        self.codes = np.append(self.codes, distinct[new])
        all_ids: Ints = np.append(known, MISSING).astype(np.int32)[ids]
        return all_ids
