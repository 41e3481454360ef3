"""What the figures of a survey draw: small arrays, made once."""

from dataclasses import dataclass

import numpy as np

from vestigo.data import Data
from vestigo.describing.measure import Measured
from vestigo.prepared.counting import Slicing, slicing
from vestigo.trace import Trace

_BINS_PER_DECADE = 6
_MOST_RANKS = 400


@dataclass(frozen=True, eq=False, repr=False)
class Curves(Data):
    """The curves of one look-up."""

    gap_edges: np.ndarray
    """The bounds of bins in seconds. Two neighbours bound a bin."""
    gap_counts: np.ndarray
    """How many reads came that long after the previous read of the same key."""
    ranks: np.ndarray
    """Numbers of keys, counted from the most popular one."""
    read_shares: np.ndarray
    """The share of reads that this number of keys gets."""
    times_ns: np.ndarray
    """The times at which slices begin, and at which the last one ends."""
    reads_over_time: np.ndarray
    changes_over_time: np.ndarray


def curves(trace: Trace, measured: Measured) -> dict[str, Curves]:
    reads = measured.reads
    edges = _gap_edges(trace.span_ns / 1e9)
    pieces = slicing(trace, 0)
    times = pieces.origin_ns + pieces.width_ns * np.arange(pieces.most + 1)
    changed_in = trace.lookup[measured.changes]
    made = {}
    for lookup, (name, part) in enumerate(zip(trace.lookups, measured.parts, strict=True)):
        own = reads.part(part)
        bins = np.searchsorted(edges, own.gap[own.repeat] / 1e9, side="right") - 1
        gaps = np.bincount(np.clip(bins, 0, len(edges) - 2), minlength=len(edges) - 1)
        begins = np.flatnonzero(~own.repeat)  # reads of a key stand together
        ranks, shares = _popularity(np.diff(begins, append=len(own)))
        changes = trace.at[measured.changes[changed_in == lookup]]
        made[name] = Curves(edges, gaps, ranks, shares, times, _over_time(own.at, pieces), _over_time(changes, pieces))
    return made


def _gap_edges(span: float) -> np.ndarray:
    """Bounds of bins from a microsecond to the whole span, evenly spaced on a logarithmic axis."""
    top = np.ceil(np.log10(max(span, 1e-5)))
    return np.logspace(-6, top, int((top + 6) * _BINS_PER_DECADE) + 1)


def _over_time(at: np.ndarray, pieces: Slicing) -> np.ndarray:
    return np.bincount(np.minimum((at - pieces.origin_ns) // pieces.width_ns, pieces.most - 1), minlength=pieces.most)


def _popularity(counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Popularity from the number of reads of each key, at up to a few hundred ranks, evenly spaced on a logarithmic
    axis.
    """
    if len(counts) == 0:
        return np.zeros(0, np.int64), np.zeros(0)
    counts = np.sort(counts)[::-1]
    shares = np.cumsum(counts) / counts.sum()
    ranks = np.unique(np.logspace(0, np.log10(len(counts)), _MOST_RANKS).round().astype(np.int64))
    return ranks, shares[ranks - 1]
