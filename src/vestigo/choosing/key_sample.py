"""``KeySample`` estimates what a replay would give, from a sample of the keys.

Plain sampling goes wrong on skewed traces, because the result depends on whether the few most popular keys are in the
sample. Here every sample has all of these. Of the other keys, a sample has one from each group. It takes the room of
its whole group, so limits stay as they are. Samples share only the popular keys, so the differences between them tell
how far off they may be.
"""

import dataclasses
from collections.abc import Mapping, Sequence
from functools import cached_property
from threading import Lock
from typing import NamedTuple

import numpy as np

from vestigo.arguments import argument, whole_number
from vestigo.choosing.estimate import Estimate
from vestigo.choosing.sampled import Sample, all_in, filled_sizes, grouped, sampled
from vestigo.data import Told
from vestigo.engine.job import Job, job
from vestigo.engine.replay import run
from vestigo.engine.what_if import applied
from vestigo.errors import RulesError
from vestigo.interval import student_quantile
from vestigo.prepared.counting import first_counted, slicing
from vestigo.prepared.entries import has_unnamed_node
from vestigo.prepared.fill import Assumed, assume
from vestigo.rules import Plan, Pool, Rules
from vestigo.rules.plan_fits import OF_A_WHOLE_LOOKUP
from vestigo.rules.pool import POOL_RULES
from vestigo.rules.settings import Settings, plan_of
from vestigo.threads import each_side_by_side, side_by_side
from vestigo.trace import Readable, Trace, read_trace
from vestigo.trace.trace import LAST_KEYED
from vestigo.units import Duration, counted, parse_share

SAMPLES = 4
_MOST_SAMPLES = 10
_NORMAL_90 = 1.645
_COUNTS = ("reads", "hits", "stale_hits", "loads")
_MOVED_TOGETHER = {"hit_rate": 0.4, "fresh_hit_rate": 0.6, "stale_rate": 1.5, "stale_hits": 1.5, "loads": 0.4}
"""How far off a measure may be, as a share of it, where one key of a group fills a whole pool."""
_MOST_COARSE = 0.05
"""How much of a pool one key of a group may fill."""


class KeySample:
    """Estimates the measures of plans on one trace. It is made once, and asked for many plans.

    `sample` is the share of the keys in each of the `samples`. Raises RulesError for arguments that mean nothing.

    >>> from vestigo import synth
    >>> trace = synth(reads=60_000, keys=5000, skew=0.9, seed=1)
    >>> found = KeySample(trace, "10%").estimate(Rules(max_entries=1000))
    >>> abs(found.hit_rate - 0.659) < 0.02
    True
    """

    def __init__(self, trace: Readable, sample: str = "10%", *, samples: int = SAMPLES, seed: int = 0) -> None:
        part = float(argument("sample", parse_share, sample))
        if not 0 < part <= 0.5:
            raise RulesError(f'sample: {sample!r} is not between 0% and 50%; write "10%", for example')
        most = min(round(1 / part), _MOST_SAMPLES)
        if whole_number("samples", samples, 1) > most:
            raise RulesError(
                f"samples: {samples} samples of {sample} have no room beside each other; write up to {most}, or a "
                "smaller sample"
            )
        self._whole = read_trace(trace)
        self._group = round(1 / part)
        self._samples = samples
        self._seed = whole_number("seed", seed, 0)
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

    def __repr__(self) -> str:
        return f"<KeySample of {self._whole.source}: {counted(self._samples, 'sample')} of 1 key in {self._group}>"

    def __getstate__(self) -> dict[str, object]:
        """What it is made from. Samples are drawn anew where they are asked for."""
        return {name: value for name, value in self.__dict__.items() if name not in ("_lock", "_made")}

    def __setstate__(self, state: dict[str, object]) -> None:
        self.__dict__.update(state, _made={}, _lock=Lock())

    def estimate(self, settings: Settings) -> Estimate:
        """Estimates a plan. Raises RulesError for what a sample cannot tell: conditions on values, hits that cost by
        size, `gdsf`, pools with two limits.
        """
        stated = plan_of(settings)
        trace, plan = applied(self._whole, stated)
        _check(trace, plan)
        assumed, first = assume(trace, plan), first_counted(trace, plan.warm_up)
        key = (repr(stated.what_if), assumed, first)
        with self._lock:
            if key not in self._made:
                self._made[key] = self._sampled(trace, assumed, first)
        with side_by_side() as threads:
            counted = list(threads.map(lambda sample: _counted(sample, plan), self._made[key]))
        amounts = {name: float(np.mean([one.measures[name] for one in counted])) for name in counted[0].measures}
        amounts["memory_peak"] = min(amounts["memory_peak"], _most_bytes(trace, plan))
        return Estimate(**amounts, errors=_errors(counted, self._group))

    def _sampled(self, trace: Trace, assumed: Assumed, first: int) -> list[Sample]:
        groups, sizes = grouped(trace, self._group, self._seed), filled_sizes(trace, assumed)
        return each_side_by_side(lambda number: sampled(trace, sizes, groups, number, first), range(self._samples))


class _Counted(NamedTuple):
    """What one sample tells of the whole trace."""

    measures: Mapping[str, float]
    grain: Mapping[str, float]
    """The variance of each measure that comes from counting a part only: each counted event stands for several."""
    room: float
    """The least room of a pool, in entries."""


def _counted(sample: Sample, plan: Plan) -> _Counted:
    by_bytes = {name: plan.pool_rules(name).max_entries is None for name in sample.ratios}
    overheads = {name: plan.rules_for(name).entry_overhead for name in sample.ratios}
    trace, mean_bytes = sample.weighed(by_bytes, overheads)
    asked = job(trace, _on_sample(sample.there, plan, by_bytes))
    first = _first_counted(sample, asked, plan)
    asked = dataclasses.replace(asked, first_counted=first, slicing=slicing(asked.trace, first, 1))
    outcome = run(asked, "sample")
    total, grain, memory, room = np.zeros(len(_COUNTS)), np.zeros(len(_COUNTS)), 0.0, np.inf
    for name, ratio in sample.ratios.items():
        limits = plan.pool_rules(name)
        for lookup, times in ((name, ratio), (all_in(name), 1.0)):
            own = outcome.lookups.get(lookup)
            if own is None:
                continue
            counts = np.array([float(getattr(own, count)) for count in _COUNTS])
            total += times * counts
            memory += own.memory_peak * (1.0 if by_bytes[name] else mean_bytes[name])
            if lookup == name:
                grain += ratio**2 * (counts + 1)
                if limits.max_entries is not None:
                    room = min(room, limits.max_entries)
                if limits.max_bytes is not None:
                    room = min(room, limits.max_bytes / max(mean_bytes[name], 1.0))
    reads, hits, stale, loads = (float(one) for one in total)
    of = max(reads, 1.0)
    measures = {
        "hit_rate": hits / of,
        "fresh_hit_rate": (hits - stale) / of,
        "stale_rate": stale / of,
        "stale_hits": stale,
        "loads": loads,
        "memory_peak": memory,
    }
    _, of_hits, of_stale, of_loads = grain
    own_grain = {
        "hit_rate": of_hits / of**2,
        "fresh_hit_rate": (of_hits + of_stale) / of**2,
        "stale_rate": of_stale / of**2,
        "stale_hits": of_stale,
        "loads": of_loads,
    }
    return _Counted(measures, own_grain, float(room))


def _first_counted(sample: Sample, asked: Job, plan: Plan) -> int:
    """The first row that counts, in a sample in which something may be preloaded."""
    if isinstance(plan.warm_up, Duration):
        return int(asked.trace.at.searchsorted(sample.begins_ns + int(plan.warm_up)))
    return asked.row_of(sample.first_counted - 1) + 1 if sample.first_counted else 0


def _errors(counted: Sequence[_Counted], group: int) -> dict[str, float]:
    """Half the widths of intervals that contain the truth 9 times in 10. NaN for what the samples cannot tell: peaks,
    and everything where one key of a group fills too much of a pool; a single sample cannot tell its own error.

    Three things make an estimate wrong: that other keys could have been drawn, which the differences between samples
    show; that events are counted of some keys only; and that keys which stand for many move in and out of a pool
    together. The last one is in proportion to their share of the pool, and was measured on traces of many kinds.
    """
    coarse = group / min(one.room for one in counted)
    errors = dict.fromkeys(counted[0].measures, float("nan"))
    if len(counted) == 1 or coarse > _MOST_COARSE:
        return errors
    width = student_quantile(0.95, len(counted) - 1) / np.sqrt(len(counted))
    for name, moved in _MOVED_TOGETHER.items():
        each = np.array([one.measures[name] for one in counted])
        grain = np.mean([one.grain[name] for one in counted]) / len(counted)
        drawn = max(width * np.std(each, ddof=1), _NORMAL_90 * np.sqrt(grain))
        errors[name] = float(drawn + moved * coarse * np.mean(each))
    return errors


def _most_bytes(trace: Trace, plan: Plan) -> float:
    """The most that the limits of a plan let its pools hold, all compartments together."""
    pools = {plan.pool_for(name) or f"of {name}": name for name in trace.lookups}
    most = 0.0
    for name in pools.values():
        limit, per = plan.pool_rules(name).max_bytes, plan.rules_for(name).per
        places = {"all": 1.0, "node": float(len(trace.nodes) + has_unnamed_node(trace)), "scope": np.inf}[per]
        most += np.inf if limit is None else limit * places
    return most


def _check(trace: Trace, plan: Plan) -> None:
    for name in trace.lookups:
        room = plan.pool_rules(name)
        rules = [plan.rules_for(name), *plan.rules_for_keys(name).values()]
        why = None
        if plan.origin_for(name) is not None:
            why = "something is stated of its origin, where calls for other keys wait, too"
        elif room.max_entries is not None and room.max_bytes is not None:
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
                    keys[twin] = {text: _of_keys(rules) for text, rules in plan.rules_for_keys(name).items()}
    return Plan(lookups=lookups, keys={name: each for name, each in keys.items() if each}, pools=made)


def _without_room(rules: Rules) -> Rules:
    return Rules(**_stated(rules, without=POOL_RULES), entry_overhead=0)


def _of_keys(rules: Rules) -> Rules:
    return Rules(**_stated(rules, without=OF_A_WHOLE_LOOKUP), entry_overhead=0)


def _stated(rules: Rules, without: Sequence[str]) -> Told:
    left_out = (*without, "entry_overhead")
    return {name: getattr(rules, name) for name in rules.model_fields_set if name not in left_out}
