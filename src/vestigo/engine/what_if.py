"""The same trace under other circumstances: more nodes, more reads, more changes, a slower origin, restarts.

Each function takes a trace in any form, returns a new Trace, and does not change the old one. Random draws are the same
at every call. Long work can be stopped. Raises RulesError for arguments that mean nothing, and for a trace that would
not fit in memory.
"""

import dataclasses
from fractions import Fraction

import numpy as np

from vestigo.arguments import argument, whole_number
from vestigo.engine.in_order import PIECE, pieces, stable_order, taken
from vestigo.engine.more_rows import with_rows
from vestigo.errors import RulesError, TraceError
from vestigo.machine import memory_bytes
from vestigo.prepared.neighbours import changed, goes_on
from vestigo.prepared.truth import NULL_VALUE, Flags, parts_with_truth
from vestigo.rules import Plan, Rules, WhatIf
from vestigo.rules.moments import Moments
from vestigo.rules.stated import Stated
from vestigo.rules.what_if import Spread, Times
from vestigo.stopping import check
from vestigo.trace import Op, Readable, Trace, read_trace
from vestigo.trace.columns import LARGEST, MISSING
from vestigo.trace.trace import COLUMNS, LAST_KEYED, LAST_VALUED, Longs, Parts
from vestigo.units import Duration, format_bytes

__all__ = ["on_nodes", "with_changes", "with_origin", "with_restarts", "with_traffic"]

WITHIN = Duration.parse("1h")
"""How far from a read its copies are."""

_BESIDE_AT = {name: one for name, one in COLUMNS.items() if name != "at"}


EVENT_BYTES = 256
"""What an event takes while a trace is made and replayed."""


def __dir__() -> list[str]:
    return __all__


def applied(trace: Trace, plan: Plan) -> tuple[Trace, Plan]:
    """The trace and the plan's own settings after the plan's `what_if` was applied to them."""
    return changed_trace(trace, plan.what_if), settled_plan(trace, plan)


def changed_trace(trace: Trace, what_if: WhatIf, most_bytes: int | None = None) -> Trace:
    """The trace under other circumstances. Raises RulesError if it would take more than `most_bytes`, by default half
    of this machine's memory.
    """
    if what_if.traffic != 1:
        trace = with_traffic(trace, what_if.traffic, most_bytes=most_bytes)
    if what_if.changes != 1:
        trace = with_changes(trace, what_if.changes, most_bytes=most_bytes)
    if what_if.origin != 1:
        trace = with_origin(trace, what_if.origin)
    if what_if.nodes is not None:
        trace = on_nodes(trace, what_if.nodes, what_if.spread)
    if what_if.restart_at is not None:
        trace = with_restarts(trace, what_if.restart_at, what_if.zone)
    return trace


def settled_plan(trace: Trace, plan: Plan) -> Plan:
    """The plan for the trace that its `what_if` makes of `trace`. Raises RulesError where that changes nothing."""
    if not plan.what_if:
        return plan
    if plan.what_if.origin != 1:
        plan = _with_slower_origin(trace, plan, plan.what_if.origin)
    return dataclasses.replace(plan, what_if=WhatIf())


def _with_slower_origin(trace: Trace, plan: Plan, times: Fraction) -> Plan:
    """The plan with the costs that it states multiplied. Raises RulesError if neither trace nor plan gives costs."""

    def longer(stated: Stated) -> Stated:
        costs = {name: stated[name] for name in ("assume_cost", "preload_cost") if stated.get(name) is not None}
        return Stated({**stated, **{name: Duration(int(cost * times)) for name, cost in costs.items()}})

    if len(trace) and trace.cost_range.most <= 0 and not any(rules.assume_cost for rules in plan.all_rules()):
        raise RulesError(
            f"whatif.origin = {times} changes nothing: the trace gives no costs; say what a load takes, as "
            'assume_cost = "20ms" in [rules]'
        )
    return dataclasses.replace(
        plan,
        rules=Rules(**longer(Stated.by(plan.rules))),
        lookups={name: longer(Stated.by(stated)) for name, stated in plan.lookups.items()},
        keys={
            name: {pattern: longer(Stated.by(stated)) for pattern, stated in each.items()}
            for name, each in plan.keys.items()
        },
    )


def on_nodes(trace: Readable, nodes: int, spread: Spread = "in turn") -> Trace:
    """The same events spread over `nodes` nodes: in turn, by scope, or by key.

    Events without a scope come in turn. Clears and restarts hit all nodes.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [1, 2, 3], "key": ["a", "b", "a"]})
    >>> on_nodes(trace, 2).node.tolist(), on_nodes(trace, 2, "by key").node.tolist()
    ([0, 1, 0], [0, 1, 0])
    """
    asked = WhatIf(nodes=nodes, spread=spread)
    nodes = asked.nodes or 1
    trace = read_trace(trace)
    keyed = trace.op <= LAST_KEYED
    place = np.cumsum(keyed) - 1
    if spread == "by scope":
        place = np.where(trace.scope != MISSING, trace.scope, place)
    elif spread == "by key":
        place = trace.key
    node = np.where(keyed, place % nodes, MISSING).astype(np.int32)
    return dataclasses.replace(trace, node=node, nodes=tuple(f"node {number}" for number in range(1, nodes + 1)))


def with_traffic(  # noqa: PLR0913  # what it takes is usually not stated
    trace: Readable,
    times: Fraction | float,
    within: Duration | str = WITHIN,
    seed: int = 0,
    most_bytes: int | None = None,
    *,
    between: tuple[int, int] | None = None,
) -> Trace:
    """`times` as many reads of the same keys in the same time, or only of those `between` two moments (in ns
    since 1970).

    Each read gets copies by other readers, in their own scopes, at most `within` before or after it. The copies show
    nothing of the truth.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [1, 2, 3], "key": ["a", "b", "a"]})
    >>> with_traffic(trace, 3).reads
    9
    """
    more = argument("times", Times.read_more, times).limit_denominator(1_000_000) - 1
    within, draws = argument("within", Duration.parse, within), np.random.default_rng(whole_number("seed", seed, 0))
    trace = read_trace(trace)
    reads = np.flatnonzero(trace.op == Op.READ)
    begins, ends = between or (trace.at[0], trace.at[-1] + 1) if len(trace) else (0, 0)
    reads = reads[slice(*np.searchsorted(trace.at[reads], (begins, ends)))]
    if len(reads) == 0:
        return trace
    _check_room(trace, len(trace) + int(len(reads) * more), "traffic", times, most_bytes)
    scopes = int(trace.scope.max()) + 1
    if scopes * (2 + int(more)) > 2**31 - 2:
        raise TraceError(f"{times} times the traffic has more than 2^31 scopes; choose less")
    rows = np.concatenate([*[reads] * int(more), reads[draws.random(len(reads)) < float(more - int(more))]])
    at, scope = np.empty(len(rows), np.int64), np.empty(len(rows), np.int32)
    for piece in pieces(len(rows)):
        away = draws.integers(-int(within), int(within), piece.stop - piece.start, endpoint=True)
        at[piece] = np.clip(trace.at[rows[piece]] + away, trace.at[0], trace.at[-1])
        own, copy = trace.scope[rows[piece]].astype(np.int64), 1 + np.arange(piece.start, piece.stop) // len(reads)
        scope[piece] = np.where(own == MISSING, MISSING, own + scopes * copy)
    copies = _inserted(trace, at, rows, scope=scope, version=MISSING, found=MISSING)
    return dataclasses.replace(copies, scopes=())  # ids only tell values apart


def with_changes(trace: Readable, times: Fraction | float, seed: int = 0, most_bytes: int | None = None) -> Trace:
    """Values change `times` as often.

    Every change from one value to another becomes `times` writes: one at its own moment, the others at random moments
    while the value lasted. If `times` is below 1, each change stays or goes by chance. Creations and removals stay.
    Versions are no longer named, and writes that change nothing are left out.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [1, 5, 9], "key": ["a"] * 3, "version": [1, 2, 2]})
    >>> with_changes(trace, 3).op.tolist().count(Op.WRITE), with_changes(trace, 0).op.tolist().count(Op.WRITE)
    (3, 0)
    """
    times = argument("times", Times.read, times)
    draws = np.random.default_rng(whole_number("seed", seed, 0))
    trace = read_trace(trace)
    if len(trace) == 0:
        return trace
    row, ends, told_anew = _changes(trace)
    whole = int(times)
    number = whole + (draws.random(len(row)) < float(Fraction(times) - whole))
    more = np.maximum(number - 1, 0)
    _check_room(trace, len(trace) + int(more.sum()), "changes", times, most_bytes)
    again = np.repeat(np.arange(len(row)), more)
    later = np.empty(len(again), np.int64)
    for piece in pieces(len(again)):
        begin, end = trace.at[row[again[piece]]], ends[again[piece]]
        later[piece] = begin + (draws.random(len(begin)) * (end - begin)).astype(np.int64)
    kept = row[number > 0]
    found = np.where((trace.version != MISSING) & (trace.op != Op.REMOVE) & (trace.found == MISSING), 1, trace.found)
    unnamed = dataclasses.replace(
        trace, version=np.full(len(trace), MISSING, np.int32), versions=(), found=found.astype(np.int8)
    )
    written: Parts = {"op": Op.WRITE, "cost": MISSING, "scope": MISSING, "found": 1, "force": False}
    first = _inserted(_chosen(unnamed, ~told_anew), trace.at[kept], kept, of=unnamed, **written)
    return _inserted(first, later, row[again], of=unnamed, after=True, **written)


def _changes(trace: Trace) -> tuple[Longs, Longs, Flags]:
    """The rows at which a value gave way to another, when the next change of the key comes (or the trace ends), and
    which rows are writes that make such a change, or no change at all.
    """
    keyed = np.flatnonzero(trace.op <= LAST_VALUED)
    order = keyed[stable_order(trace.key[keyed])]
    value, only_names = _truth_of(trace)
    key, value, at = taken(trace.key, order), taken(value, order), taken(trace.at, order)
    null, is_write = value == NULL_VALUE, taken(trace.op, order) == Op.WRITE
    again = goes_on(key)
    other = changed(key, value) & ~taken(only_names, order)
    check()
    place = np.flatnonzero(other | (~again & is_write))
    has_next = np.append(goes_on(key[place])[1:], False)[: len(place)]
    ends = np.where(has_next, np.append(at[place][1:], 0)[: len(place)], trace.at[-1])
    values = ~null[place] & ~(again[place] & null[place - 1])
    told_anew = np.zeros(len(trace), bool)
    told_anew[order[place[values & is_write[place]]]] = True
    told_anew[order[is_write & again & ~other]] = True
    return order[place[values]], ends[values], told_anew


def _truth_of(trace: Trace) -> tuple[np.ndarray, Flags]:
    """The value that each event tells, and whether it only names it."""
    values, names = [], []
    for _, what in parts_with_truth(trace, PIECE):
        check()
        values.append(what.value)
        names.append(what.only_names)
    return np.concatenate(values), np.concatenate(names)


def with_origin(trace: Readable, times: Fraction | float) -> Trace:
    """The origin takes `times` as long.

    >>> from vestigo import read_trace
    >>> with_origin(read_trace({"at": [1], "key": ["a"], "cost": [40]}), 2).cost.tolist()
    [80]
    """
    ratio = argument("times", Times.read, times).limit_denominator(1_000_000)
    trace = read_trace(trace)
    if len(trace) and trace.cost_range.most * ratio > LARGEST:
        raise TraceError(f"{times} times as slow an origin takes longer than times can tell; choose less")
    whole, rest = np.divmod(trace.cost, ratio.denominator)
    cost = whole * ratio.numerator + rest * ratio.numerator // ratio.denominator
    cost = np.where(trace.cost == MISSING, MISSING, cost)
    return dataclasses.replace(trace, cost=cost.astype(np.int64))


def with_restarts(trace: Readable, moments: Moments | str, zone: str | None = None) -> Trace:
    """All nodes restart at these moments: times of day, or single instants.

    >>> from vestigo import read_trace
    >>> trace = read_trace({"at": [0, 5 * 3600 * 10**9], "key": ["a", "a"]})
    >>> with_restarts(trace, "03:00", "UTC").op.tolist()
    [0, 6, 0]
    """
    asked = WhatIf(restart_at=moments, zone=zone)
    trace = read_trace(trace)
    read = asked.restart_at
    if read is None or len(trace) == 0:
        return trace
    at = np.array(read.between(int(trace.at[0]), int(trace.at[-1]), zone), np.int64)
    return _with_events(trace, at, Op.RESTART)


def with_event(trace: Trace, at_ns: int, op: Op, node: int = MISSING) -> Trace:
    """The trace with an event that names no key, a clear or a restart, of one node or of all.

    >>> from vestigo import read_trace
    >>> with_event(read_trace({"at": [1, 5], "key": ["a", "a"]}), 4, Op.CLEAR).op.tolist()
    [0, 5, 0]
    """
    return _with_events(trace, np.array([at_ns], np.int64), op, node)


def _with_events(trace: Trace, at: Longs, op: Op, node: int = MISSING) -> Trace:
    nothing: Parts = {name: one.missing for name, one in _BESIDE_AT.items()} | {"op": op, "node": node}
    return _inserted(trace, at, np.zeros(len(at), np.int64), **nothing)


def _check_room(trace: Trace, events: int, name: str, times: Fraction | float, most_bytes: int | None) -> None:
    """Raises RulesError for more events than fit in memory, before any of them is made."""
    takes, most = events * EVENT_BYTES, most_bytes or memory_bytes() // 2
    if takes > most:
        said = f"{float(times):g} makes {events:,} events of {len(trace):,}"
        raise RulesError(
            f"whatif.{name}: {said}, which take {format_bytes(takes)} of memory when replayed; the most here is "
            f"{format_bytes(most)}, so write less, or sample the trace (vestigo convert --sample)"
        )


def _chosen(trace: Trace, rows: np.ndarray) -> Trace:
    columns: Parts = {name: getattr(trace, name)[rows] for name in COLUMNS}
    return dataclasses.replace(trace, **columns)


def _inserted(
    trace: Trace, at: Longs, rows: Longs, *, of: Trace | None = None, after: bool = False, **changed: object
) -> Trace:
    """The trace with more events, at the times `at`. They are copies of its `rows` (or of another trace's) except for
    what is `changed`. Among events of one moment they come first, or `after` the others.
    """
    order = stable_order(at)
    at, rows = taken(at, order), taken(rows, order)
    more: Parts = {"at": at}
    more |= {name: taken(getattr(of or trace, name), rows) for name in _BESIDE_AT if name not in changed}
    for name, value in changed.items():
        more[name] = taken(np.broadcast_to(np.asarray(value, getattr(trace, name).dtype), len(order)), order)
    both, _ = with_rows(trace, more, trace.at.searchsorted(at, "right" if after else "left"))
    return both
