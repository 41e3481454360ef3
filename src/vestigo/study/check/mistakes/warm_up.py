"""A warm-up that is missing, or too short to hide the cold start."""

from collections.abc import Iterator

import numpy as np

from vestigo.study.check.facts import Facts
from vestigo.study.check.mistakes.suspicion import WARM_UP, Suspicion
from vestigo.study.round import at_least
from vestigo.trace import Op
from vestigo.units import SECOND, format_seconds, format_share

_PARTS = 48
_MOVES = 0.005
"""So many points of the hit rate are worth a word."""
_SETTLED = 2.0


def cold_start(facts: Facts) -> Iterator[Suspicion]:
    """Many reads at the beginning are first reads only because the trace begins there. A cache that runs for long has
    most of these keys.
    """
    trace, first = facts.trace, facts.job.first_counted
    reads = np.flatnonzero(trace.op == Op.READ)
    counted = reads[reads >= first]
    if len(counted) < _PARTS:
        return
    is_new = np.zeros(len(trace), bool)
    is_new[reads[np.unique(trace.key[reads], return_index=True)[1]]] = True
    begins = int(trace.at[first])
    width = max((int(trace.at[-1]) - begins) // _PARTS, 1)
    part = np.minimum((trace.at[counted] - begins) // width, _PARTS - 1)
    number = np.bincount(part, minlength=_PARTS)
    new = np.bincount(part, is_new[counted], minlength=_PARTS)
    late = new[_PARTS // 2 :].sum() / max(number[_PARTS // 2 :].sum(), 1)
    share = np.cumsum(new) / np.maximum(np.cumsum(number), 1)
    here = np.divide(new, number, out=np.full(_PARTS, late), where=number > 0)
    cold = int(np.argmax(here <= _SETTLED * late + _MOVES))
    if cold == 0 or (share[cold - 1] - late) * number[:cold].sum() < _MOVES * len(counted):
        return
    early, usual = format_share(float(share[cold - 1])), format_share(float(late))
    points = (share[cold - 1] - late) * number[:cold].sum() / len(counted)
    yield Suspicion(
        "warm-up too short",
        WARM_UP,
        f"in the first {format_seconds(width * cold / SECOND)} that are counted {early} of the reads are of keys that "
        f"were not read before, in the second half {usual}: counting the cold start takes up to "
        f"{100 * points:.2g} points off the hit rate",
        ({WARM_UP: str(at_least(begins - int(trace.at[0]) + width * cold))},),
        judged="nothing",
    )
