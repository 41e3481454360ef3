"""A part of a trace that stands for all of it: which keys are in it, and which other keys each of them stands for.

The keys of a look-up are put in order by their number of reads. The first ones are in every sample. The others form
groups, and each sample gets one key of each group (stratified sampling: W. G. Cochran, "Sampling techniques", 1953).
"""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from threading import Lock
from typing import NamedTuple

import numpy as np

from vestigo.prepared.fill import Assumed, filler
from vestigo.prepared.neighbours import goes_on
from vestigo.prepared.truth import parts_with_truth
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.shape import of_rows
from vestigo.trace.trace import LAST_KEYED, Longs

_GROUPS_ALL_IN = 2
_FEWEST_GROUPS = 50


@dataclass(frozen=True, eq=False)
class Sample:
    """A part of the trace. Each look-up is two look-ups here: keys that stand for others, and keys that stand for
    themselves.
    """

    trace: Trace
    stands_for: Longs
    """For each row, the number of keys that its key stands for."""
    bytes: Longs
    """For each row, the size of its value without overhead."""
    ratios: Mapping[str, float]
    """For each look-up, the reads of all its keys per read in the sample."""
    there: frozenset[str]
    """The look-ups that have keys in the sample."""
    begins_ns: int
    """When the whole trace begins."""
    first_counted: int
    known: dict[object, tuple[Trace, dict[str, float]]] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)

    def weighed(self, by_bytes: Mapping[str, bool], overheads: Mapping[str, int]) -> tuple[Trace, dict[str, float]]:
        """The sample with each value as large as all values that it stands for, in bytes, or in entries if entries are
        limited. Also the mean bytes of a key's value in each look-up, with overhead.
        """
        key = (*by_bytes.values(), *overheads.values())
        with self.lock:
            if key not in self.known:
                self.known[key] = self._weighed(by_bytes, overheads)
            return self.known[key]

    def _weighed(self, by_bytes: Mapping[str, bool], overheads: Mapping[str, int]) -> tuple[Trace, dict[str, float]]:
        size, means = self.stands_for.copy(), {}
        half = len(self.trace.lookups) // 2
        for place, name in enumerate(self.trace.lookups[:half]):
            lookup = self.trace.lookup
            rows = ((lookup == place) | (lookup == place + half)) & (self.trace.op <= LAST_KEYED)
            means[name] = _mean_by_key(self.trace.key[rows], self.bytes[rows]) + overheads[name]
            if by_bytes[name]:
                size[rows] *= self.bytes[rows] + overheads[name]
        return dataclasses.replace(self.trace, size=size), means


class Groups(NamedTuple):
    """Groups of keys that are read about equally often, and so stand for each other."""

    size: int
    member: Longs
    """For each key, its place in its group. -1 for a key that stands for itself and is in every sample."""


def grouped(trace: Trace, size: int, seed: int) -> Groups:
    """Puts the keys in groups of `size`. The places within a group are random."""
    rng = np.random.default_rng(seed)
    reads = trace.once(("reads by key", 0), lambda: _reads_by_key(trace, 0))
    member = np.full(len(trace.keys), -1, np.int64)
    for lookup in range(len(trace.lookups)):
        keys = np.flatnonzero(trace.key_lookup == lookup)
        keys = keys[np.argsort(-reads[keys], kind="stable")]
        others = keys[_GROUPS_ALL_IN * size :]  # beyond these, the keys of a group are read about equally often
        groups = -(-len(others) // size)
        if groups < _FEWEST_GROUPS:
            continue
        places = rng.permuted(np.tile(np.arange(size), (groups, 1)), axis=1).ravel()
        member[others] = places[: len(others)]
    return Groups(size, member)


def sampled(trace: Trace, sizes: Longs, groups: Groups, number: int, first: int) -> Sample:
    """The sample with the `number`-th key of each group, which stands for the others of the group.

    `sizes` has the bytes of each row's value. `first` is the first row that counts.
    """
    member = groups.member
    is_there = np.append((member == -1) | (member == number), True)  # MISSING is the last
    rows = np.flatnonzero(is_there[trace.key])
    if Op.CLEAR in trace.ops:
        twice = np.flatnonzero((trace.op == Op.CLEAR) & (trace.lookup >= 0))  # a look-up is two look-ups here
        rows = np.sort(np.concatenate([rows, twice]), kind="stable")
    part = of_rows(trace, rows)
    here = part.op <= LAST_KEYED
    alone = (here & (np.append(member, 0)[trace.key[rows]] == -1)) | goes_on(rows)
    lookup = np.where(alone & (part.lookup >= 0), part.lookup + len(part.lookups), part.lookup).astype(np.int32)
    key_lookup = part.key_lookup.copy()
    key_lookup[part.key[here]] = lookup[here]
    reads, ratios = trace.once(("reads by key", first), lambda: _reads_by_key(trace, first)), {}
    for place, name in enumerate(trace.lookups):
        others = (trace.key_lookup == place) & (member >= 0)
        chosen = int(reads[others & (member == number)].sum())
        ratios[name] = float(reads[others].sum() / chosen) if chosen else 0.0
    names = (*part.lookups, *(all_in(name) for name in part.lookups))
    there = frozenset(names[place] for place in np.unique(key_lookup))
    return Sample(
        dataclasses.replace(part, lookup=lookup, lookups=names, key_lookup=key_lookup),
        np.where(alone, 1, groups.size),
        sizes[rows],
        ratios,
        there,
        int(trace.at[0]) if len(trace) else 0,
        int(np.searchsorted(rows, first)),
    )


def _reads_by_key(trace: Trace, first: int) -> Longs:
    """Of each key, from a row on."""
    reads = np.zeros(len(trace.keys), np.int64)
    for block in trace.block(first, len(trace)).blocks():
        reads += np.bincount(block.key[block.op == Op.READ], minlength=len(reads))
    return reads


def all_in(lookup: str) -> str:
    """The name of the look-up with those keys of `lookup` that stand for themselves."""
    return f"{lookup} (all in)"


def filled_sizes(trace: Trace, assumed: Assumed) -> Longs:
    """For each row, the bytes of its value. Missing sizes are filled in."""
    if trace.size_range.least != MISSING:
        return trace.size
    fill = filler(trace, assumed)
    parts = (fill.sizes(part, truth.null) for part, truth in parts_with_truth(trace))
    return np.concatenate([np.empty(0, np.int64), *parts])


def _mean_by_key(keys: np.ndarray, sizes: np.ndarray) -> float:
    counts = np.bincount(keys)
    sums = np.bincount(keys, sizes)
    return float(np.mean(sums[counts > 0] / counts[counts > 0])) if len(keys) else 0.0
