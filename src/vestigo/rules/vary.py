"""Settings by dotted key, values that vary, and every combination of them."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import product
from math import prod
from typing import Any

from vestigo.arguments import is_by_name, shown
from vestigo.errors import RulesError, UnknownName, unknown
from vestigo.rules.pool import Pool
from vestigo.rules.rules import Rules
from vestigo.rules.trade_words import unknown_rule

Changes = Mapping[str, Any]
"""New values by dotted key: ``rules.absolute``, ``lookup.vessel.max_entries``, ``pool.desk.max_bytes``."""

EACH, ANY = "each", "any"
"""``each.RULE`` varies a rule for each look-up by itself; its values are given, or ``any`` that a search finds."""
FINDABLE = (
    *("max_entries", "max_bytes", "absolute", "sliding", "nulls", "on_write", "tell_nodes", "absolute_at", "eviction"),
    *("keep_if", "overlap", "reload_after", "serve_stale", "batch", "per", "collect"),
)
"""Rules for which a search can find values (`vestigo.choosing.finding.offers`)."""

_ADDS_EVENTS = ("preload", "preload_cost")
_WRITE = "write rules.RULE, lookup.NAME.RULE or pool.NAME.RULE"


def is_searched(vary: Mapping[str, Sequence[object]]) -> bool:
    """Whether each look-up is set by itself, so that the best settings are searched for. Otherwise every combination is
    tried.

    >>> is_searched({"each.absolute": ["5m", "1h"]}), is_searched({"rules.absolute": ["5m", "1h"]})
    (True, False)
    """
    return any(values == ANY or key.partition(".")[0] == EACH for key, values in vary.items())


def problems_of_search(vary: Mapping[str, Sequence[object]]) -> Iterator[tuple[str, str]]:
    """A key and a sentence for everything that a search cannot do."""
    if not is_searched(vary):
        return
    for key, values in vary.items():
        table, _, rule = place_of(key)
        if table == "rules":
            yield key, f"sets all look-ups at once, and other keys set each by itself; write {EACH}.{rule}"
        elif key == EACH and values != ANY:
            yield key, f'is for all rules; write {EACH} = "{ANY}", or a rule: {EACH}.max_entries'
        elif rule in _ADDS_EVENTS:
            yield (
                key,
                f"adds events to the trace, which a search cannot weigh; compare candidates, or vary rules.{rule}",
            )
        elif values == ANY and key != EACH and rule not in FINDABLE:
            yield key, f"a search finds no values for {rule}; list some, or name one of {', '.join(FINDABLE)}"


def place_of(key: str) -> tuple[str, str, str]:
    """The table of a dotted key, the name in it if there is one, and the rule.

    >>> place_of("lookup.a.b.absolute"), place_of("rules.absolute")
    (('lookup', 'a.b', 'absolute'), ('rules', '', 'absolute'))
    """
    table, _, rest = key.partition(".")
    name, _, rule = rest.rpartition(".")
    return table, name[1:-1] if _is_quoted(name) else name, rule


def key_of(table: str, name: str, rule: str) -> str:
    """The dotted key from which `place_of` tells these.

    >>> key_of("lookup", "vessel", "absolute"), place_of(key_of("lookup", "'quoted'", "absolute"))[1]
    ('lookup.vessel.absolute', "'quoted'")
    """
    return f'{table}."{name}".{rule}' if _is_quoted(name) else f"{table}.{name}.{rule}"


def _is_quoted(name: str) -> bool:
    return len(name) > 1 and name[0] == name[-1] and name[0] in "\"'"


def by_table(changes: Changes, pools: Mapping[str, Pool]) -> dict[tuple[str, str], dict[str, object]]:
    """The changes of each table: ``("rules", "")``, ``("lookup", NAME)``, ``("pool", NAME)``. Raises RulesError for a
    key that names no rule, or a pool that is not among `pools`.

    >>> by_table({"rules.max_entries": 9, "lookup.chart.sliding": "1m"}, {})
    {('rules', ''): {'max_entries': 9}, ('lookup', 'chart'): {'sliding': '1m'}}
    """
    if not is_by_name(changes):
        raise RulesError(f'changes: {shown(changes)} are no values by key; write {{"rules.max_entries": 500}}')
    tables: dict[tuple[str, str], dict[str, object]] = {}
    for key, value in changes.items():
        table, name, rule = place_of(key)
        if table not in ("rules", "lookup", "pool") or not rule or (table == "rules") == bool(name):
            raise RulesError(f"{key}: {_no_setting(table, name, rule)}")
        if table == "pool" and name not in pools:
            raise UnknownName(f"{key}: pool {unknown(name, pools)}")
        known = [one for one in (Pool if table == "pool" else Rules).model_fields if one != "lookups"]
        if rule not in known:
            raise UnknownName(f"{key}: {unknown_rule(rule, known)}")
        tables.setdefault((table, name), {})[rule] = value
    return tables


def plain_values(key: str, values: Sequence[object]) -> tuple[object, ...]:
    """The values that vary under a key, as a plan file has them: durations of Python as text, for example. What means
    nothing stays as it is.
    """
    table, _, rule = place_of(key)
    return tuple(_plain(Pool if table == "pool" else Rules, rule, value) for value in values)


def _plain(kind: type[Rules] | type[Pool], rule: str, value: object) -> object:
    if type(value) in (bool, int, str) or callable(value) or rule not in kind.model_fields:
        return value
    if isinstance(value, (list, tuple)) and not hasattr(value, "_fields"):
        return list(value)
    try:
        return kind.written(rule, kind.read(rule, value))
    except ValueError:  # it is refused where the plan with this value is made
        return value


def combinations(vary: Mapping[str, Sequence[object]]) -> Iterator[dict[str, object]]:
    """Every combination of one value for each key. The last key changes fastest.

    >>> [list(one.values()) for one in combinations({"a": [1, 2], "b": [3, 4]})]
    [[1, 3], [1, 4], [2, 3], [2, 4]]
    """
    return (dict(zip(vary, values, strict=True)) for values in product(*vary.values()))


def count(vary: Mapping[str, Sequence[object]]) -> int:
    """How many combinations there are."""
    return prod(map(len, vary.values())) if vary else 0


def name_of(changes: Changes) -> str:
    """The name of a candidate: what is different about it.

    >>> name_of({"lookup.vessel.max_entries": 500, "rules.absolute": "5m"})
    'vessel.max_entries=500, absolute=5m'
    """
    return ", ".join(f"{key.removeprefix('lookup.').removeprefix('rules.')}={value}" for key, value in changes.items())


def _no_setting(table: str, name: str, rule: str) -> str:
    if table == "lookups":
        return f"is not a setting; write lookup.{name or 'NAME'}.{rule or 'RULE'}"
    if table in Rules.model_fields and not rule:
        return f"is not a setting; write rules.{table} or lookup.NAME.{table}"
    return f"is not a setting; {_WRITE}"
