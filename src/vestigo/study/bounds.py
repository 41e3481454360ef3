"""What settings are measured against: no cache at all, and what no settings can pass on the same trace."""

import dataclasses
from collections.abc import Callable, Sequence

import numpy as np

from vestigo.engine.job import Assumed
from vestigo.engine.native.batches import filler
from vestigo.rules import Plan, Rules
from vestigo.rules.values import Nulls
from vestigo.study.shelf import Numbering, column
from vestigo.study.truths import Values
from vestigo.trace import Op, Trace
from vestigo.trace.trace import LAST_KEYED, MISSING, alike

NO_CACHE = "no cache"
KEEP_ALL = "no limits"
ALWAYS_FRESH = "no limits, fresh"


def no_cache(plan: Plan) -> Plan:
    """Under which nothing fits: every read loads."""
    return _alike(
        plan, lambda **assumed: Rules.model_construct(max_bytes=0, entry_overhead=1, nulls=Nulls("keep"), **assumed)
    )


def keep_all(plan: Plan, survives_restart: bool) -> Plan:
    """Unlimited room, no expiry; a write puts its value in place. With instant loads this answers every
    read whose key was loaded or written since the last clear or (unless entries survive it) restart, and no rules
    answer more.
    """
    return _alike(
        plan, lambda **assumed: Rules(nulls="keep", on_write="replace", survives_restart=survives_restart, **assumed)
    )


def outlived(trace: Trace, settings: Sequence[Plan]) -> tuple[Trace, bool]:
    """The trace for the ceilings, and whether they survive its restarts: they lose no more than any settings do.

    A node that is cleared leaves the others alone where each has its own entries; that becomes a restart, which the
    ceilings survive.
    """
    rules = [one for plan in settings for one in plan.all_rules()]
    of_nodes = any(one.per == "node" for one in rules)
    spared = (trace.op == Op.CLEAR) & (trace.node != MISSING)
    if of_nodes and spared.any():
        op, lookup = np.where(spared, Op.RESTART, trace.op).astype(np.uint8), np.where(spared, MISSING, trace.lookup)
        trace = dataclasses.replace(trace, op=op, lookup=lookup.astype(np.int32))
    return trace, of_nodes or any(one.survives_restart for one in rules)


def _alike(plan: Plan, rules: Callable[..., Rules]) -> Plan:
    """A plan of such rules, with what `plan` assumes of its look-ups."""

    def made(like: Rules) -> Rules:
        return rules(assume_size=like.assume_size, assume_cost=like.assume_cost)

    return Plan(made(plan.rules), {name: made(like) for name, like in plan.lookups.items()}, warm_up=plan.warm_up)


def with_versions_as_keys(trace: Trace, assumed: Assumed) -> Trace:
    """The trace with one key for each value that a key ever had.

    Kept without limits, it answers a read just if the present value was loaded or written since the last
    clear or restart: no rules give more fresh hits.
    """
    rows, values, fill, numbering = len(trace), Values(trace), filler(trace, assumed), Numbering()
    key, found = column(rows, np.int32), column(rows, np.int8)
    complete = trace.sizes.least != MISSING
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
        version=alike(MISSING, rows, np.int32),
    )
