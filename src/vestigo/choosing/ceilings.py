"""What settings are compared with: no cache at all, and the ceilings that no settings can pass on the same trace."""

import dataclasses
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from vestigo.choosing.shelf import column
from vestigo.engine.groups import groups_of
from vestigo.engine.job import Job, job
from vestigo.engine.preloads import preloaded
from vestigo.prepared.fill import Assumed, assume, filler
from vestigo.prepared.truth import TruthFollower, places
from vestigo.rules import Plan, Rules
from vestigo.rules.moments import Moments
from vestigo.rules.preload import Preload
from vestigo.stopping import check
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.reading.build import dense
from vestigo.trace.trace import LAST_KEYED, LAST_VALUED, Ints, constant_column

_TAKEN = ("entry_overhead", "hit_cost", "hit_cost_per_kib", "assume_size", "assume_cost")
"""What entries and hits take, and what is assumed: the same for all that is compared."""


@dataclass(frozen=True)
class Ceiling:
    """A ceiling that none of some settings can pass: how it is replayed, and on which trace."""

    trace: Trace
    plan: Plan
    news_take: int
    """How long a write can be on its way to other nodes, in ns."""
    spares_nodes: bool
    """Whether clears of one node are left out, because in some settings the other nodes keep what they have."""
    preloads: Mapping[str, Preload]
    """What any settings preload, by look-up. The trace has it."""

    def job(self, trace: Trace) -> Job:
        """The job for its own trace, or for the one with other keys. Loads take no time, and a clear spares what could
        outlive it.
        """
        return job(trace, self.plan, instant=True, spares=self.news_take)

    @property
    def stated(self) -> list[object]:
        """All that it depends on, besides the trace."""
        preloads = {name: (one.texts, one.moments and one.moments.instants) for name, one in self.preloads.items()}
        return [self.plan.replayed_to_dict(), self.news_take, self.spares_nodes, *([preloads] if preloads else [])]


def no_cache(trace: Trace, plan: Plan) -> Job:
    """The baseline: nothing is kept, so every read loads, and nobody preloads. Assumptions are those of `plan`."""
    nothing = Rules(keep_if="none", nulls="keep", per="all", entry_overhead=0)
    assumed = assume(trace, plan)
    if Op.PRELOAD in trace.ops:
        idle = np.where(trace.op == Op.PRELOAD, Op.DROP, trace.op).astype(np.uint8)
        trace = dataclasses.replace(trace, op=idle)
    return dataclasses.replace(job(trace, Plan(nothing).under(plan)), assumed=assumed)


def ceiling(trace: Trace, plan: Plan, settings: Sequence[Plan]) -> Ceiling:
    """Unlimited room and no expiry, where a write stores its value. With instant loads this answers every read whose
    key was loaded or written since the last clear or restart (unless entries survive that), and none of the `settings`
    answer more. It preloads whatever any of them does.

    If each node has its own cache in all settings, it has one here too. If only in some, all rows share one cache that
    loses no more than any of them: restarts, and clears of one node, take nothing.
    """
    rules = {
        name: [rules for one in settings for rules in (one.rules_for(name), *one.rules_for_keys(name).values())]
        for name in trace.lookups
    }
    every = [one for setting in settings for one in setting.all_rules()]
    copies = any(one.tell_nodes == "copy" for one in every)
    apart = {name: not copies and all(one.per == "node" for one in each) for name, each in rules.items()}
    mixed = bool(trace.nodes) and any(
        not apart[name] and any(one.per == "node" for one in each) for name, each in rules.items()
    )
    survives = mixed or any(one.survives_restart for one in every)
    preloads = _preloads(trace, rules)
    if preloads:
        trace = _with_preloads(trace, preloads, apart)
    spared = (trace.op == Op.CLEAR) & (trace.node != MISSING)
    if mixed and spared.any():
        op, lookup = np.where(spared, Op.RESTART, trace.op).astype(np.uint8), np.where(spared, MISSING, trace.lookup)
        trace = dataclasses.replace(trace, op=op, lookup=lookup.astype(np.int32))

    def unlimited(name: str, **taken: Any) -> Rules:
        per = _per(apart.get(name, False))
        return Rules(**taken, nulls="keep", on_write="replace", survives_restart=survives, per=per)

    news_take = max((int(one.tell_delay) for one in every if one.tell_nodes == "copy"), default=0)
    return Ceiling(trace, _alike(plan, trace.lookups, unlimited), news_take, mixed, preloads)


def _preloads(trace: Trace, rules: Mapping[str, Sequence[Rules]]) -> dict[str, Preload]:
    """For each look-up, when any of its rules preload."""
    if not len(trace):
        return {}
    begin, end = int(trace.at[0]), int(trace.at[-1])
    union: dict[str, Preload] = {}
    for name, each in rules.items():
        asked = [(one.preload, one.zone) for one in each if one.preload is not None]
        moments = {at for one, zone in asked if one.moments for at in one.moments.between(begin, end, zone)}
        if asked:
            instants = Moments((), (), tuple(sorted(moments)))
            union[name] = Preload(any(one.at_start for one, _ in asked), instants)
    return union


def _with_preloads(trace: Trace, preloads: Mapping[str, Preload], apart: Mapping[str, bool]) -> Trace:
    plan = Plan(lookups={name: Rules(preload=one, per=_per(apart[name])) for name, one in preloads.items()})
    made = preloaded(trace, groups_of(trace, plan))
    return trace if made is None else made.trace


def _per(is_apart: bool) -> Literal["node", "all"]:
    return "node" if is_apart else "all"


def _alike(plan: Plan, lookups: Iterable[str], rules: Callable[..., Rules]) -> Plan:
    """A plan with these rules, and with the overheads, the costs of hits and the assumptions of `plan`."""

    def made(name: str, like: Rules) -> Rules:
        return rules(name, **{rule: getattr(like, rule) for rule in _TAKEN})

    own = {name: made(name, plan.rules_for(name)) for name in lookups}
    return Plan(made("", plan.rules), own, warm_up=plan.warm_up)


def with_versions_as_keys(trace: Trace, assumed: Assumed) -> Trace:
    """The trace with one key for each value that a key ever had. The value of such a key never changes.

    Kept without limits, it answers a read exactly if the current value was loaded or written since the last clear or
    restart. No rules give more fresh hits, and all of its hits are fresh.
    """
    rows, fill, follower = len(trace), filler(trace, assumed), TruthFollower(trace)
    key, found = column(rows, np.int32), column(rows, np.int8)
    complete = trace.size_range.least != MISSING
    size = trace.size if complete else column(rows, np.int64)
    begin = 0
    for block in trace.blocks():
        check()
        truth, here = follower.see(block), slice(begin, begin + len(block))
        key[here] = places(truth.stretch)
        found[here] = np.where(block.op <= LAST_KEYED, ~truth.null, MISSING)
        if not complete:
            size[here] = fill.sizes(block, truth.null)
        begin = here.stop
    lookups = _number_values(trace, follower.values, key)
    return dataclasses.replace(
        trace,
        key=key,
        key_lookup=lookups,
        keys=range(len(lookups)),
        size=size,
        found=found,
        version=constant_column(0, rows, np.int32),
        versions=("the same",),
    )


def _number_values(trace: Trace, values: Ints, key: Ints) -> Ints:
    """Puts the number of each key's value in place of the number of its stretch, and returns the look-up of each. A key
    that is taken out is one more, which nobody reads.
    """
    key_of = np.zeros(len(values), np.int64)
    for part, stretch in _with(trace, key):
        valued = part.op <= LAST_VALUED
        key_of[stretch[valued]] = part.key[valued]
    lowest = int(values.min(initial=0))
    count = int(values.max(initial=0)) - lowest + 1
    ids, pairs = dense(key_of * count + (values - lowest))
    taken_out = np.unique(trace.key[trace.op == Op.DROP]) if Op.DROP in trace.ops else np.empty(0, np.int32)
    for part, number in _with(trace, key):
        valued = part.op <= LAST_VALUED
        number[valued] = ids[number[valued]]
        number[~valued] = MISSING
        drops = part.op == Op.DROP
        number[drops] = len(pairs) + taken_out.searchsorted(part.key[drops])
    lookups: Ints = trace.key_lookup[np.append(pairs // count, taken_out)]
    return lookups


def _with(trace: Trace, column: np.ndarray) -> Iterator[tuple[Trace, np.ndarray]]:
    """Blocks of a trace, each with its rows of another column."""
    begin = 0
    for block in trace.blocks():
        yield block, column[begin : begin + len(block)]
        begin += len(block)
