"""The worst cases that random exploration found. Each of them once showed an engine, a ceiling or a property to be
wrong.
"""

from tests.agreement.cases import Case
from vestigo import Plan, Rules, read_trace

_S = 10**9

LATE_LOAD = Case(
    read_trace({"at": [0, _S, 9 * _S], "key": ["a", "a", "b"], "node": ["x", "y", "y"], "cost": [5 * _S] * 3}),
    Plan(),
)
"""A load ends after the last event of its node."""

CLEARED_WHILE_LOADING = Case(
    read_trace(
        {
            "at": [0, _S, 6 * _S, 7 * _S],
            "op": ["read", "clear", "read", "read"],
            "key": ["a", None, "a", "a"],
            "cost": [5 * _S, 0, 5 * _S, 5 * _S],
        }
    ),
    Plan(Rules(overlap="join")),
)
"""A clear comes while a load is under way, which brings back afterwards what the clear took."""

TOLD_WHILE_LOADING = Case(
    read_trace(
        {
            "at": [0, _S, 2 * _S, 4 * _S, 8 * _S],
            "op": ["read", "read", "write", "read", "read"],
            "key": ["a"] * 5,
            "node": ["x", "y", "x", "y", "x"],
            "cost": [5 * _S] * 5,
        }
    ),
    Plan(Rules(on_write="replace", tell_nodes="drop", tell_delay="1s")),
)
"""News of a write reaches a node whose load is under way."""


def _from_no_cache(tell: str) -> Case:
    rows = {"at": [0, 1, 2, 3], "op": ["write", "read", "write", "read"], "key": ["a"] * 4}
    return Case(read_trace({**rows, "node": [None, "x", None, "x"]}), Plan(Rules(tell_nodes=tell, on_write="drop")))


COPIED_FROM_NO_CACHE, DROPPED_FROM_NO_CACHE = _from_no_cache("copy"), _from_no_cache("drop")
"""Writes come from none of the caches, and the only node hears of them."""

ENDED_TOGETHER = Case(
    read_trace(
        {
            "at": [at * _S for at in (0, 0, 1, 11, 20, 20, 21, 26, 31)],
            "key": ["short", "long", "waits", "waits", "short", "middling", "waits too", "late", "late"],
            "cost": [cost * _S for cost in (4, 10, 6, 0, 4, 5, 6, 4, 0)],
        }
    ),
    Plan(Rules(max_entries=1), origin={"at_once": 2}),
)
"""A load that has waited for its place ends at the same moment as one that has not: first one that began later, then
one that began earlier. What began later stays.
"""
