"""Changes as the lines of a plan file."""

from collections.abc import Mapping
from typing import Any

from vestigo.rules.toml_text import toml_text
from vestigo.rules.vary import place_of


def plan_lines(changes: Mapping[str, Any]) -> str:
    """The changes as they stand in a plan file, with a table for each look-up or pool.

    >>> print(plan_lines({"lookup.vessel.sliding": "15m", "rules.overlap": "join"}))
    [lookup.vessel]
    sliding = "15m"
    <BLANKLINE>
    [rules]
    overlap = "join"
    """
    tables: dict[str, Any] = {}
    for key, value in changes.items():
        table, name, rule = place_of(key)
        place = tables.setdefault(table, {})
        (place.setdefault(name, {}) if name else place)[rule] = value
    return toml_text(tables).strip()
