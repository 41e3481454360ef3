"""For how many rows an entry must at least be held so that a read finds it."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from vestigo.compiled import kernel
from vestigo.prepared.memory import settled
from vestigo.stopping import check
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_VALUED, Ints, Longs


class Stays(NamedTuple):
    """A row for each read that follows another event of its key in the same compartment."""

    key: Ints
    rows: Longs
    """For how many rows the entry is held, since it can have come in."""


def stays(
    trace: Trace, first_counted: int, owners: Callable[[Trace], Ints], takes: Callable[[Trace], Longs]
) -> Iterator[Stays]:
    """Those of each block of a trace, of reads from a row on. For events of a block, `owners` says whose compartment
    each is about, and `takes` after how many ns its value is there at the latest.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 2, 3], "key": ["a", "b", "a", "a"]})
    >>> (found,) = stays(trace, 0, lambda block: np.zeros(4, np.int32), lambda block: np.zeros(4, np.int64))
    >>> found.key.tolist(), found.rows.tolist()
    ([0, 0], [2, 1])
    """
    following, begin = kernel.Stays(trace.at, first_counted), 0
    for block in trace.blocks():
        check()
        places = np.flatnonzero(block.op <= LAST_VALUED)
        is_read = (block.op[places] == Op.READ).view(np.uint8)
        columns = (begin + places, block.key[places], owners(block)[places], takes(block)[places], is_read)
        yield Stays(*following.see(*map(settled, columns)))
        begin += len(block)
