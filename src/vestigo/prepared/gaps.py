"""How far apart reads are in one cache."""

import numpy as np

from vestigo.prepared.neighbours import goes_on
from vestigo.trace import Op, Trace


def gaps_ns(trace: Trace, rows: np.ndarray, per: str) -> np.ndarray:
    """The times between two reads of a key in one cache, ascending, for the reads among these `rows`. `per` says who
    has a cache: each ``node``, each ``scope``, or ``all`` together.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 1, 5, 7], "key": ["a", "a", "a", "a"], "node": ["n", "m", "n", "n"]})
    >>> gaps_ns(trace, np.arange(4), "node").tolist(), gaps_ns(trace, np.arange(4), "all").tolist()
    ([2, 5], [1, 2, 4])
    """
    reads = rows[trace.op[rows] == Op.READ]
    places = {"node": trace.node, "scope": trace.scope}
    where = places[per][reads] if per in places else np.zeros(len(reads), np.int32)
    order = np.lexsort((trace.at[reads], where, trace.key[reads]))
    key, at, where = trace.key[reads][order], trace.at[reads][order], where[order]
    gaps: np.ndarray = np.sort(np.diff(at, prepend=0)[goes_on(key, where)])
    return gaps
