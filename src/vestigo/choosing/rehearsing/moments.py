"""Bad moments: what happens in each, and how a trace and a plan have it."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from vestigo.engine.what_if import with_event, with_traffic
from vestigo.errors import RulesError, raise_for_unknown
from vestigo.rules import Origin, Plan
from vestigo.rules.windows import Windows
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.units import SECOND, counted, format_time

AWAY, SLOW, TIMES = 60 * SECOND, 600 * SECOND, 3
"""How long the origin is away, how long it is slow, and how many times as slow."""


class BadMoment(NamedTuple):
    """Something bad that happens at a time."""

    name: str
    words: str
    on: Callable[[Trace], Trace]
    """The trace in which it happens."""
    under: Callable[[Plan], Plan]
    """The plan with its circumstances."""


def bad_moments(trace: Trace, at_ns: int, names: Iterable[str] | None = None) -> list[BadMoment]:
    """Those that a trace can have at a time, or only those with certain names. Raises UnknownName."""
    every = {one.name: one for one in _every(trace, at_ns)}
    if names is None:
        return list(every.values())
    for name in (chosen := list(names)):
        raise_for_unknown("moment", name, every)
    if not chosen:
        raise RulesError(f"moments: none is named; name some of {', '.join(every)}, or leave it out")
    return [one for name, one in every.items() if name in chosen]


def _every(trace: Trace, at_ns: int) -> list[BadMoment]:
    """In the order in which they are told."""
    nodes = len(trace.nodes)
    busiest = _busiest_node(trace, at_ns)
    all_restart = f"a restart of all {counted(nodes, 'node')}" if nodes > 1 else "a restart"

    def restart(words: str, name: str, node: int) -> BadMoment:
        return BadMoment(name, words, lambda on: with_event(on, at_ns, Op.RESTART, node), lambda plan: plan)

    one = [restart(f"a restart of {trace.nodes[busiest]}", "node", busiest)] if nodes > 1 else []
    return [
        *one,
        restart(all_restart, "restart", MISSING),
        BadMoment("clear", "a clear of everything", lambda on: with_event(on, at_ns, Op.CLEAR), lambda plan: plan),
        BadMoment(
            "outage",
            f"{AWAY // SECOND} s without the origin",
            lambda on: on,
            lambda plan: _with_origin(plan, down=f"{_instant(at_ns)} for {AWAY // SECOND}s"),
        ),
        BadMoment(
            "slow",
            f"an origin {TIMES} times as slow for {SLOW // SECOND // 60} min",
            lambda on: on,
            lambda plan: _with_origin(plan, slower=f"{TIMES}x {_instant(at_ns)} for {SLOW // SECOND}s"),
        ),
        BadMoment(
            "readers",
            f"twice the readers for {SLOW // SECOND // 60} min",
            lambda on: with_traffic(on, 2, "1m", between=(at_ns, at_ns + SLOW)),
            lambda plan: plan,
        ),
    ]


def _instant(at_ns: int) -> str:
    return f"{format_time(at_ns).replace(' ', 'T')}Z"


def _busiest_node(trace: Trace, at_ns: int) -> int:
    """The node with most reads in the minute that begins at a time."""
    minute = trace.block(*np.searchsorted(trace.at, (at_ns, at_ns + 60 * SECOND)).tolist())
    nodes = minute.node[(minute.op == Op.READ) & (minute.node >= 0)]
    return int(np.bincount(nodes, minlength=max(len(trace.nodes), 1)).argmax())


def _with_origin(plan: Plan, **stated: str) -> Plan:
    """The plan with more windows for all of its origins."""

    def more(origin: Origin) -> Origin:
        kept: Mapping[str, Windows] = {"down": origin.down, "slower": origin.slower}
        return origin.model_copy(update={name: [*kept[name].texts, text] for name, text in stated.items()})

    origins = {name: more(one) for name, one in plan.origins.items()}
    return replace(plan, origin=more(plan.origin), origins=origins)
