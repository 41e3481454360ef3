"""A part of a trace that stands for all of it: which keys are in it, and what each of them stands for.

Of a look-up's keys in the order of how often they are read, the first are in every sample; of the others, one of every
so many comes into each (stratified sampling: W. G. Cochran, "Sampling techniques", 1953).
"""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from threading import Lock
from typing import Any, NamedTuple

import numpy as np

from vestigo.prepared.assumed import Assumed, assume
from vestigo.prepared.batches import make_ready
from vestigo.prepared.entries import entries_of
from vestigo.prepared.fill import filler
from vestigo.prepared.truth import parts_with_truth
from vestigo.rules import Plan
from vestigo.trace import Op, Trace
from vestigo.trace.shape import of_rows
from vestigo.trace.trace import LAST_KEYED, Longs

_GROUPS_ALL_IN = 2
_FEWEST_GROUPS = 50


@dataclass(frozen=True, eq=False)
class Sample:
    """A part of the trace: each look-up as two, the keys that stand for others and those that stand for themselves."""

    trace: Trace
    stands_for: Longs
    """By row: for how many keys."""
    bytes: Longs
    """By row: the value's size, without overhead."""
    ratios: Mapping[str, float]
    """By look-up: reads of all keys for each read of those that are here."""
    there: frozenset[str]
    """The look-ups that have any keys here."""
    first_counted: int
    known: dict[Any, tuple[Trace, dict[str, float]]] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)

    def weighed(self, by_bytes: Mapping[str, bool], overheads: Mapping[str, int]) -> tuple[Trace, dict[str, float]]:
        """With each value as large as all that it stands for: in bytes, or where entries are limited, in entries. And
        by look-up the mean bytes of a key's value, overhead included.
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
            rows = np.isin(self.trace.lookup, (place, place + half)) & (self.trace.op <= LAST_KEYED)
            means[name] = _mean_by_key(self.trace.key[rows], self.bytes[rows]) + overheads[name]
            if by_bytes[name]:
                size[rows] *= self.bytes[rows] + overheads[name]
        trace = dataclasses.replace(self.trace, size=size)
        make_ready(trace, assume(trace, Plan()), entries_of(trace))
        return trace, means


class Groups(NamedTuple):
    """Keys that are read about as often stand for each other."""

    size: int
    member: Longs
    """By key: its place in its group; -1 for one that stands for itself, in every sample."""


def grouped(trace: Trace, size: int, seed: int) -> Groups:
    """The keys in groups of that size; places within a group are drawn."""
    rng = np.random.default_rng(seed)
    reads = np.bincount(trace.key[trace.op == Op.READ], minlength=len(trace.keys))
    member = np.full(len(trace.keys), -1, np.int64)
    for lookup in range(len(trace.lookups)):
        keys = np.flatnonzero(trace.key_lookup == lookup)
        keys = keys[np.argsort(-reads[keys], kind="stable")]
        others = keys[_GROUPS_ALL_IN * size :]  # beyond these, the keys of a group are read alike
        groups = -(-len(others) // size)
        if groups < _FEWEST_GROUPS:
            continue
        places = rng.permuted(np.tile(np.arange(size), (groups, 1)), axis=1).ravel()
        member[others] = places[: len(others)]
    return Groups(size, member)


def sampled(trace: Trace, sizes: Longs, groups: Groups, number: int, first: int) -> Sample:
    """The sample that has the `number`-th key of each group, which stands for the others.

    `sizes` has the bytes of each row's value; `first` is the first row that counts.
    """
    member = groups.member
    keyed = trace.op <= LAST_KEYED
    of_row = np.append(member, -1)[trace.key]  # MISSING is the last
    rows = np.flatnonzero((of_row == -1) | (of_row == number))
    twice = np.flatnonzero((trace.op == Op.CLEAR) & (trace.lookup >= 0))  # of a look-up, which is two here
    rows = np.sort(np.concatenate([rows, twice]), kind="stable")
    part = of_rows(trace, rows)
    again = np.concatenate([[False], rows[1:] == rows[:-1]])
    alone = (keyed[rows] & (of_row[rows] == -1)) | again
    lookup = np.where(alone & (part.lookup >= 0), part.lookup + len(part.lookups), part.lookup).astype(np.int32)
    key_lookup = part.key_lookup.copy()
    here = keyed[rows]
    key_lookup[part.key[here]] = lookup[here]
    counted = (trace.op == Op.READ) & (np.arange(len(trace)) >= first)
    ratios = {}
    for place, name in enumerate(trace.lookups):
        others = counted & (trace.lookup == place) & (of_row >= 0)
        chosen = np.count_nonzero(others & (of_row == number))
        ratios[name] = float(np.count_nonzero(others) / chosen) if chosen else 0.0
    names = (*part.lookups, *(all_in(name) for name in part.lookups))
    there = frozenset(names[place] for place in np.unique(key_lookup))
    return Sample(
        dataclasses.replace(part, lookup=lookup, lookups=names, key_lookup=key_lookup),
        np.where(alone, 1, groups.size),
        sizes[rows],
        ratios,
        there,
        int(np.searchsorted(rows, first)),
    )


def all_in(lookup: str) -> str:
    """The name of the look-up that has the keys of `lookup` which stand for themselves."""
    return f"{lookup} (all in)"


def filled_sizes(trace: Trace, assumed: Assumed) -> Longs:
    """By row, the bytes of its value, missing ones filled in."""
    fill = filler(trace, assumed)
    parts = (fill.sizes(part, truth.null) for part, truth in parts_with_truth(trace))
    return np.concatenate([np.empty(0, np.int64), *parts])


def _mean_by_key(keys: np.ndarray, sizes: np.ndarray) -> float:
    counts = np.bincount(keys)
    sums = np.bincount(keys, sizes)
    return float(np.mean(sums[counts > 0] / counts[counts > 0])) if len(keys) else 0.0
