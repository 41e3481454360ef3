"""``KeySample`` estimates what a replay would give, from a sample of the keys.

Plain sampling goes wrong on skewed traces, because the result depends on whether the few most popular keys are in the
sample. Here every sample has all of these. Of the other keys, a sample has one from each group. It takes the room of
its whole group, so limits stay as they are. Samples share only the popular keys, so the differences between them tell
how far off they may be.
"""

import dataclasses
from collections.abc import Mapping
from functools import cached_property
from threading import Lock
from typing import Any

import numpy as np

from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError
from vestigo.prepared.assumed import Assumed, assume
from vestigo.prepared.counting import first_counted, slicing
from vestigo.rules import Plan, Pool, Rules
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.settings import Settings, argument, plan_of
from vestigo.study.estimate import Estimate
from vestigo.study.sampled import Sample, all_in, filled_sizes, grouped, sampled
from vestigo.study.threads import side_by_side
from vestigo.trace import Readable, Trace, read_trace
from vestigo.trace.trace import LAST_KEYED
from vestigo.units import parse_share

SAMPLES = 4
_T_90 = (6.314, 2.920, 2.353, 2.132, 2.015, 1.943, 1.895, 1.860, 1.833)
"""Student's t at 95%, for 1 to 9 degrees of freedom: the middle 90%."""
_COUNTS = ("reads", "hits", "stale_hits", "loads")


class KeySample:
    """Estimates the measures of plans on one trace. It is made once, and asked for many plans.

    `share` is the share of the keys in each sample.

    >>> from vestigo import synth
    >>> trace = synth(reads=60_000, keys=5000, skew=0.9, seed=1)
    >>> found = KeySample(trace, "10%").estimate(Rules(max_entries=1000))
    >>> abs(found.hit_rate - 0.659) < 0.02
    True
    """

    def __init__(self, trace: Readable, share: str = "10%", *, samples: int = SAMPLES, seed: int = 0) -> None:
        part = float(argument("share", parse_share, share))
        if not 0 < part <= 0.5:
            raise RulesError(f'share: {share!r} is not between 0% and 50%; write "10%", for example')
        most = min(round(1 / part), len(_T_90) + 1)
        if not 1 <= samples <= most:
            raise RulesError(f"samples: {samples} of them have no room beside each other; write from 1 to {most}")
        self._whole = read_trace(trace)
        self._group = round(1 / part)
        self._samples = samples
        self._seed = seed
        self._made: dict[tuple[str, Assumed, int], list[Sample]] = {}
        self._lock = Lock()

    @cached_property
    def share_of_events(self) -> float:
        """The share of the trace's events that each sample replays. All samples have the events of the most popular
        keys.
        """
        keyed = np.flatnonzero(self._whole.op <= LAST_KEYED)
        member = grouped(self._whole, self._group, self._seed).member[self._whole.key[keyed]]
        return float(np.mean(member <= 0)) if len(keyed) else 1.0  # it is in every sample, or in the first

    def estimate(self, plan: Settings) -> Estimate:
        """Estimates a plan. Raises RulesError for what a sample cannot tell: conditions on values, hits that cost by
        size, `gdsf`, pools with two limits.
        """
        asked = plan_of(plan)
        trace, plan = applied(self._whole, asked)
        _check(trace, plan)
        assumed, first = assume(trace, plan), first_counted(trace, plan.warm_up)
        key = (repr(asked.what_if), assumed, first)
        with self._lock:
            if key not in self._made:
                self._made[key] = self._sampled(trace, assumed, first)
        with side_by_side() as threads:
            amounts = np.array(list(threads.map(lambda sample: _counted(sample, plan), self._made[key])))
        found = dict(zip((*_COUNTS, "memory_peak"), amounts.T, strict=True))
        reads = np.maximum(found["reads"], 1)
        rates = {
            "hit_rate": found["hits"] / reads,
            "fresh_hit_rate": (found["hits"] - found["stale_hits"]) / reads,
            "stale_rate": found["stale_hits"] / reads,
            "stale_hits": found["stale_hits"],
            "loads": found["loads"],
            "memory_peak": found["memory_peak"],
        }
        errors = dict.fromkeys(rates, float("nan"))  # a single sample cannot tell its own error
        if len(amounts) > 1:
            width = _T_90[len(amounts) - 2] / np.sqrt(len(amounts))
            errors = {name: float(width * np.std(each, ddof=1)) for name, each in rates.items()}
        return Estimate(**{name: float(np.mean(each)) for name, each in rates.items()}, errors=errors)

    def _sampled(self, trace: Trace, assumed: Assumed, first: int) -> list[Sample]:
        groups, sizes = grouped(trace, self._group, self._seed), filled_sizes(trace, assumed)
        return [sampled(trace, sizes, groups, number, first) for number in range(self._samples)]


def _counted(sample: Sample, plan: Plan) -> list[float]:
    """The counts and the memory peak of the whole trace, as one sample tells them."""
    by_bytes = {name: plan.pool_rules(name).max_entries is None for name in sample.ratios}
    overheads = {name: plan.rules_for(name).entry_overhead for name in sample.ratios}
    trace, mean_bytes = sample.weighed(by_bytes, overheads)
    only_sums = slicing(trace, sample.first_counted, 1)
    asked = job(trace, _on_sample(sample.there, plan, by_bytes))
    asked = dataclasses.replace(asked, first_counted=sample.first_counted, slicing=only_sums)
    outcome = run(trace, asked, "native", "sample")
    total = np.zeros(len(_COUNTS) + 1)
    for name, ratio in sample.ratios.items():
        for lookup, times in ((name, ratio), (all_in(name), 1.0)):
            own = outcome.lookups.get(lookup)
            if own is None:
                continue
            room = own.memory_peak * (1.0 if by_bytes[name] else mean_bytes[name])
            total += np.array([*(times * float(getattr(own, count)) for count in _COUNTS), room])
    return [float(one) for one in total]


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


def _on_sample(there: frozenset[str], plan: Plan, by_bytes: Mapping[str, bool]) -> Plan:
    pools: dict[str, list[str]] = {}
    for name in by_bytes:
        pools.setdefault(plan.pool_for(name) or f"of {name}", []).append(name)
    lookups, keys, made = {}, {}, {}
    for pool, names in pools.items():
        twins = [twin for name in names for twin in (name, all_in(name)) if twin in there]
        if not twins:
            continue
        room = plan.pool_rules(names[0])
        limit = room.max_bytes if by_bytes[names[0]] else room.max_entries
        made[pool] = Pool(lookups=twins, max_bytes=limit, eviction=room.eviction, when_full=room.when_full)
        for name in names:
            for twin in (name, all_in(name)):
                if twin in there:
                    lookups[twin] = _without_room(plan.rules_for(name))
                    keys[twin] = {text: _without_room(rules) for text, rules in plan.rules_for_keys(name).items()}
    return Plan(lookups=lookups, keys={name: each for name, each in keys.items() if each}, pools=made)


def _without_room(rules: Rules) -> Rules:
    stated: dict[str, Any] = {name: getattr(rules, name) for name in rules.model_fields_set if name not in POOL_RULES}
    return Rules(**stated | {"entry_overhead": 0})
