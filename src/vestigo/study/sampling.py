"""``Sampler``: what a replay would give, from a sample of the keys.

Plain sampling goes wrong on skewed traces: whether the few keys that most reads go to are in or out decides. Here they
are all in. Of the others, in the order of how often they are read, one of every so many comes into each sample, so that
all samples hold alike keys; and each takes the room of all that it stands for, so that limits stay as they are
(stratified sampling: W. G. Cochran, "Sampling techniques", 1953). Samples share no keys but the first few, and how far
they differ tells how far they may be off.
"""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from threading import Lock
from typing import Any

import numpy as np

from vestigo.engine.job import Assumed, assume, first_counted, job, slicing
from vestigo.engine.native.batches import filler, make_ready, told
from vestigo.engine.native.entries import entries_of
from vestigo.engine.replay import run
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError
from vestigo.outcome import Measures
from vestigo.rules import Plan, Pool, Rules
from vestigo.trace import Op, Trace
from vestigo.trace.shape import of_rows
from vestigo.trace.trace import LAST_KEYED, Longs
from vestigo.units import format_share, parse_share

SAMPLES = 4
_T_90 = (6.314, 2.920, 2.353, 2.132, 2.015, 1.943, 1.895, 1.860, 1.833)
"""Student's t at 95%, for 1 to 9 degrees of freedom: the middle 90%."""
_GROUPS_ALL_IN = 2
_FEWEST_GROUPS = 50
_COUNTS = ("reads", "hits", "stale_hits", "loads")
_OF_A_POOL = ("max_entries", "max_bytes", "eviction", "when_full")


@dataclass(frozen=True)
class Estimate:
    """Measures as samples tell them; `errors` are half the widths of intervals that hold the truth 9 times in 10."""

    hit_rate: float
    fresh_hit_rate: float
    stale_rate: float
    stale_hits: float
    loads: float
    memory_peak: float
    """At the mean size of values, where entries are limited."""
    errors: Mapping[str, float]

    @classmethod
    def from_dict(cls, amounts: Mapping[str, float]) -> "Estimate":
        """Of amounts whose errors are not known."""
        return cls(**amounts, errors=dict.fromkeys(amounts, float("nan")))

    def to_dict(self) -> dict[str, float]:
        """The amounts alone."""
        return {name: getattr(self, name) for name in self.errors}

    def __repr__(self) -> str:
        def written(name: str) -> str:
            amount, error = getattr(self, name), self.errors[name]
            return f"{amount:.2%}" if np.isnan(error) else f"{amount:.2%} ± {error:.2%}"

        return f"<Estimate: hit rate {written('hit_rate')}, stale {written('stale_rate')}>"


@dataclass(frozen=True, eq=False)
class _Sample:
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


class Sampler:
    """Estimates plans' measures on one trace: made once, asked for many plans.

    `share` is the share of the keys in each sample.

    >>> from vestigo import synth
    >>> trace = synth(reads=60_000, keys=5000, skew=0.9, seed=1)
    >>> found = Sampler(trace, "10%").estimate(Rules(max_entries=1000))
    >>> abs(found.hit_rate - 0.659) < 0.02
    True
    """

    def __init__(self, trace: Trace, share: str = "10%", *, samples: int = SAMPLES, seed: int = 0) -> None:
        part = float(parse_share(share))
        if not 0 < part <= 0.5 or not 1 <= samples <= min(round(1 / part), len(_T_90) + 1):
            raise RulesError(
                f"a share of {format_share(part)} in {samples} samples: write a share of at most 50 %, and from 1 to "
                "10 samples that have room beside each other"
            )
        self._whole = trace
        self._group = round(1 / part)
        self._samples = samples
        self._seed = seed
        self._made: dict[tuple[str, Assumed, int], list[_Sample]] = {}
        self._lock = Lock()

    @cached_property
    def share_of_events(self) -> float:
        """How much of the trace's events each sample replays: those of the hottest keys are in all of them."""
        keyed = np.flatnonzero(self._whole.op <= LAST_KEYED)
        in_it = self._members(self._whole)[self._whole.key[keyed]] <= 0  # in every sample, or in the first
        return float(np.mean(in_it)) if len(keyed) else 1.0

    def estimate(self, plan: Plan | Rules) -> Estimate:
        """Raises RulesError for what a sample cannot tell: conditions on values, hits that cost by size, `gdsf`, pools
        with two limits.
        """
        asked = Plan.of(plan)
        trace, plan = applied(self._whole, asked)
        _check(trace, plan)
        assumed, first = assume(trace, plan), first_counted(trace, plan.warm_up)
        key = (repr(asked.what_if), assumed, first)
        with self._lock:
            if key not in self._made:
                self._made[key] = self._sampled(trace, assumed, first)
        told_ = np.array([_counted(sample, plan) for sample in self._made[key]])
        found = dict(zip((*_COUNTS, "memory_peak"), told_.T, strict=True))
        reads = np.maximum(found["reads"], 1)
        rates = {
            "hit_rate": found["hits"] / reads,
            "fresh_hit_rate": (found["hits"] - found["stale_hits"]) / reads,
            "stale_rate": found["stale_hits"] / reads,
            "stale_hits": found["stale_hits"],
            "loads": found["loads"],
            "memory_peak": found["memory_peak"],
        }
        errors = dict.fromkeys(rates, float("nan"))  # one sample knows nothing of how far off it is
        if len(told_) > 1:
            width = _T_90[len(told_) - 2] / np.sqrt(len(told_))
            errors = {name: float(width * np.std(each, ddof=1)) for name, each in rates.items()}
        return Estimate(**{name: float(np.mean(each)) for name, each in rates.items()}, errors=errors)

    def _sampled(self, trace: Trace, assumed: Assumed, first: int) -> list[_Sample]:
        member = self._members(trace)
        sizes = _filled(trace, assumed)
        return [self._sample(trace, sizes, member, number, first) for number in range(self._samples)]

    def _members(self, trace: Trace) -> Longs:
        """By key: -1 for one that is in every sample, else its place in its group."""
        rng = np.random.default_rng(self._seed)
        reads = np.bincount(trace.key[trace.op == Op.READ], minlength=len(trace.keys))
        member = np.full(len(trace.keys), -1, np.int64)
        for lookup in range(len(trace.lookups)):
            keys = np.flatnonzero(trace.key_lookup == lookup)
            keys = keys[np.argsort(-reads[keys], kind="stable")]
            others = keys[_GROUPS_ALL_IN * self._group :]  # beyond these, the keys of a group are read alike
            groups = -(-len(others) // self._group)
            if groups < _FEWEST_GROUPS:
                continue
            places = rng.permuted(np.tile(np.arange(self._group), (groups, 1)), axis=1).ravel()
            member[others] = places[: len(others)]
        return member

    def _sample(self, trace: Trace, sizes: Longs, member: Longs, number: int, first: int) -> _Sample:
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
        names = (*part.lookups, *(_alone(name) for name in part.lookups))
        there = frozenset(names[place] for place in np.unique(key_lookup))
        return _Sample(
            dataclasses.replace(part, lookup=lookup, lookups=names, key_lookup=key_lookup),
            np.where(alone, 1, self._group),
            sizes[rows],
            ratios,
            there,
            int(np.searchsorted(rows, first)),
        )


def _counted(sample: _Sample, plan: Plan) -> list[float]:
    """Counts, and the memory's peak, of the whole trace as one sample tells them."""
    by_bytes = {name: plan.pool_rules(name).max_entries is None for name in sample.ratios}
    overheads = {name: plan.rules_for(name).entry_overhead for name in sample.ratios}
    trace, mean_bytes = sample.weighed(by_bytes, overheads)
    only_sums = slicing(trace, sample.first_counted, 1)
    asked = job(trace, _on_sample(sample.there, plan, by_bytes))
    asked = dataclasses.replace(asked, first_counted=sample.first_counted, slicing=only_sums)
    outcome = run(trace, asked, "native", "sample")
    total = np.zeros(len(_COUNTS) + 1)
    for name, ratio in sample.ratios.items():
        for lookup, times in ((name, ratio), (_alone(name), 1.0)):
            own = outcome.lookups.get(lookup)
            if own is None:
                continue
            room = own.memory_peak * (1.0 if by_bytes[name] else mean_bytes[name])
            total += np.array([*(times * float(_count(own, count)) for count in _COUNTS), room])
    return [float(one) for one in total]


def _alone(lookup: str) -> str:
    return f"{lookup} (all in)"


def _check(trace: Trace, plan: Plan) -> None:
    for name in trace.lookups:
        room = plan.pool_rules(name)
        rules = [plan.rules_for(name), *plan.rules_for_keys(name).values()]
        why = None
        if room.max_entries is not None and room.max_bytes is not None:
            why = "its pool has two limits, and a sample can keep one"
        elif room.eviction.name == "gdsf" or room.eviction.own is not None:
            why = f"{room.eviction} weighs single entries, and here some stand for many"
        elif any(one.keep_if is not None for one in rules) or any(one.hit_cost_per_kib for one in rules):
            why = "keep_if and hit_cost_per_kib ask for the size of a single value, and here some stand for many"
        if why is not None:
            raise RulesError(f"look-up {name!r} cannot be sampled: {why}; replay it whole")


def _filled(trace: Trace, assumed: Assumed) -> Longs:
    fill = filler(trace, assumed)
    return np.concatenate([np.empty(0, np.int64), *(fill.sizes(part, what.null) for part, what in told(trace))])


def _count(measures: Measures, name: str) -> int:
    count: int = getattr(measures, name)
    return count


def _mean_by_key(keys: np.ndarray, sizes: np.ndarray) -> float:
    counts = np.bincount(keys)
    sums = np.bincount(keys, sizes)
    return float(np.mean(sums[counts > 0] / counts[counts > 0])) if len(keys) else 0.0


def _on_sample(there: frozenset[str], plan: Plan, by_bytes: Mapping[str, bool]) -> Plan:
    pools: dict[str, list[str]] = {}
    for name in by_bytes:
        pools.setdefault(plan.pool_for(name) or f"of {name}", []).append(name)
    lookups, keys, made = {}, {}, {}
    for pool, names in pools.items():
        twins = [twin for name in names for twin in (name, _alone(name)) if twin in there]
        if not twins:
            continue
        room = plan.pool_rules(names[0])
        limit = room.max_bytes if by_bytes[names[0]] else room.max_entries
        made[pool] = Pool(lookups=twins, max_bytes=limit, eviction=room.eviction, when_full=room.when_full)
        for name in names:
            for twin in (name, _alone(name)):
                if twin in there:
                    lookups[twin] = _without_room(plan.rules_for(name))
                    keys[twin] = {text: _without_room(rules) for text, rules in plan.rules_for_keys(name).items()}
    return Plan(lookups=lookups, keys={name: each for name, each in keys.items() if each}, pools=made)


def _without_room(rules: Rules) -> Rules:
    stated: dict[str, Any] = {name: getattr(rules, name) for name in rules.model_fields_set if name not in _OF_A_POOL}
    return Rules(**stated | {"entry_overhead": 0})
