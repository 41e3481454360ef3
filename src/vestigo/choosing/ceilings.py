"""What settings are compared with: no cache at all, and the ceilings that no settings can pass on the same trace."""

import dataclasses
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from vestigo.choosing.shelf import Numbering, column
from vestigo.engine.job import Job, job
from vestigo.prepared.fill import Assumed, assume, filler
from vestigo.prepared.truth import Values
from vestigo.rules import Plan, Rules
from vestigo.rules.values import Nulls
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_KEYED, constant_column

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

    def job(self, trace: Trace) -> Job:
        """The job for its own trace, or for the one with other keys. Loads take no time, and a clear spares what could
        outlive it.
        """
        return job(trace, self.plan, instant=True, spares=self.news_take)

    @property
    def stated(self) -> list[object]:
        """All that it depends on, besides the trace."""
        return [self.plan.replayed_to_dict(), self.news_take, self.spares_nodes]


def no_cache(trace: Trace, plan: Plan) -> tuple[Trace, Job]:
    """The baseline: nothing fits, so every read loads, and nobody preloads. Assumptions are those of `plan`."""
    nothing = Rules.model_construct(max_bytes=0, entry_overhead=1, nulls=Nulls("keep"), per="all")
    replay_job = dataclasses.replace(job(trace, Plan(nothing, warm_up=plan.warm_up)), assumed=assume(trace, plan))
    if Op.PRELOAD in trace.ops:
        idle = np.where(trace.op == Op.PRELOAD, Op.DROP, trace.op).astype(np.uint8)
        trace = dataclasses.replace(trace, op=idle)
    return trace, replay_job


def ceiling(trace: Trace, plan: Plan, settings: Sequence[Plan]) -> Ceiling:
    """Unlimited room and no expiry, where a write stores its value. With instant loads this answers every read whose
    key was loaded or written since the last clear or restart (unless entries survive that), and none of the `settings`
    answer more.

    If each node has its own cache in all settings, it has one here too. If only in some, all rows share one cache that
    loses no more than any of them: restarts, and clears of one node, take nothing.
    """
    rules = {name: [one.rules_for(name) for one in settings] for name in trace.lookups}
    every = [one for setting in settings for one in setting.all_rules()]
    copies = any(one.tell_nodes == "copy" for one in every)
    apart = {name: not copies and all(one.per == "node" for one in each) for name, each in rules.items()}
    mixed = bool(trace.nodes) and any(
        not apart[name] and any(one.per == "node" for one in each) for name, each in rules.items()
    )
    survives = mixed or any(one.survives_restart for one in every)
    spared = (trace.op == Op.CLEAR) & (trace.node != MISSING)
    if mixed and spared.any():
        op, lookup = np.where(spared, Op.RESTART, trace.op).astype(np.uint8), np.where(spared, MISSING, trace.lookup)
        trace = dataclasses.replace(trace, op=op, lookup=lookup.astype(np.int32))

    def unlimited(name: str, **taken: Any) -> Rules:
        per: Literal["node", "all"] = "node" if apart.get(name, False) else "all"
        return Rules(**taken, nulls="keep", on_write="replace", survives_restart=survives, per=per)

    news_take = max((int(one.tell_delay) for one in every if one.tell_nodes == "copy"), default=0)
    return Ceiling(trace, _alike(plan, trace.lookups, unlimited), news_take, mixed)


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
    rows, values, fill, numbering = len(trace), Values(trace), filler(trace, assumed), Numbering()
    key, found = column(rows, np.int32), column(rows, np.int8)
    complete = trace.size_range.least != MISSING
    size = trace.size if complete else column(rows, np.int64)
    begin = 0
    for part, (value, null) in values:
        here = slice(begin, begin + len(part))
        keyed = part.op <= LAST_KEYED
        key[here] = numbering.ids(np.where(keyed, part.key.astype(np.int64) * (values.most + 1) + value, MISSING))
        found[here] = np.where(keyed, ~null, MISSING)
        if not complete:
            size[here] = fill.sizes(part, null)
        begin = here.stop
    return dataclasses.replace(
        trace,
        key=key,
        key_lookup=trace.key_lookup[numbering.codes // (values.most + 1)],
        keys=range(len(numbering.codes)),
        size=size,
        found=found,
        version=constant_column(0, rows, np.int32),
        versions=("the same",),
    )
