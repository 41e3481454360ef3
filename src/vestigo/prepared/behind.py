"""Whether a trace was recorded behind a cache, so that reads which it answered are missing (docs/semantics.md, "A
recording made behind a cache").
"""

from collections.abc import Iterator, Mapping
from typing import NamedTuple

import numpy as np

from vestigo.prepared.neighbours import goes_on
from vestigo.trace import Op, Trace
from vestigo.units import Duration, format_seconds

DENIED = "no"
_FIRST, _MOST = 100_000, 500_000
"""Events that are looked at: at first, and where these do not decide."""
_ENOUGH = 12.0
"""So many gaps should be shorter, if nothing answered reads. That none is has a chance of 1 in 100,000."""
_VARY = 1.1
"""How much longer the longer gaps must be than the shorter ones. What is read on a schedule has gaps of one length."""


class Behind(NamedTuple):
    """The gap in which no key was read again, by look-up, and whether the plan states it."""

    lookups: Mapping[str, Duration]
    is_stated: bool = False


def behind(trace: Trace) -> Behind:
    """The look-ups whose reads look like what a cache let through, with the lifetime that it seems to have had."""
    if trace.behind == DENIED:
        return Behind({})
    if trace.behind is not None:
        return Behind(dict.fromkeys(trace.lookups, Duration.parse(trace.behind)), True)
    return trace.once("behind", lambda: Behind(_found(trace)))


def behind_in_words(trace: Trace) -> str | None:
    """What must be said beside all numbers of such a trace, or None."""
    known = behind(trace)
    if not known.lookups:
        return None
    named = ", ".join(known.lookups) if len(known.lookups) < len(trace.lookups) else "all look-ups"
    spans = {format_seconds(int(one) / 1e9) for one in known.lookups.values()}
    cache = f"a cache of {spans.pop()}" if len(spans) == 1 else "a cache"
    seems = "" if known.is_stated else ", as it seems"
    return f"reads of {named} are missing: {cache} answered them before the recording{seems}"


def _found(trace: Trace) -> dict[str, Duration]:
    lifetimes: dict[str, Duration] = {}
    open_ones = set(range(len(trace.lookups)))
    for most in (_FIRST, _MOST):
        part = trace if len(trace) <= most else trace.block(0, most)
        for lookup, gaps, key, spacing in _gaps(part):
            if lookup not in open_ones:
                continue
            least = int(gaps.min())
            expected = _expected(gaps, key, least - 2 * spacing)
            if expected < 1 and len(gaps) >= _ENOUGH:
                open_ones.discard(lookup)  # short gaps are as usual as chance has them
            elif len(part) == len(trace) or most == _MOST:
                low, high = np.quantile(gaps, [0.1, 0.9])
                if expected >= _ENOUGH and high >= _VARY * low:
                    lifetimes[trace.lookups[lookup]] = Duration(least)
        if len(part) == len(trace) or not open_ones:
            break
    return lifetimes


def _gaps(trace: Trace) -> Iterator[tuple[int, np.ndarray, np.ndarray, int]]:
    """For each look-up that reads keys again: the gaps between two reads of a key on a node, which key and node each is
    of, and the usual time between any two reads.
    """
    rows = np.flatnonzero(trace.op == Op.READ)
    entry = trace.key[rows].astype(np.int64) * (len(trace.nodes) + 1) + trace.node[rows] + 1
    order = np.argsort(entry, kind="stable")
    entry, at, lookup = entry[order], trace.at[rows][order], trace.lookup[rows][order]
    same = goes_on(entry)
    gaps, entry, of = np.diff(at, prepend=0)[same], entry[same], lookup[same]
    for number in np.unique(of).tolist():
        own = of == number
        spacing = np.median(np.diff(trace.at[rows[trace.lookup[rows] == number]]))
        yield number, gaps[own], entry[own], int(spacing)


def _expected(gaps: np.ndarray, key: np.ndarray, span: int) -> float:
    """How many gaps should be shorter than this, if reads of a key came independently of each other."""
    if span <= 0:
        return 0.0
    _, place, number = np.unique(key, return_inverse=True, return_counts=True)
    mean = np.bincount(place, gaps) / number
    return float(np.sum(number * -np.expm1(-span / np.maximum(mean, 1))))
