"""Writes a plan as the text of a plan file, which can be copied, replayed and read again."""

import os
import unicodedata
from collections.abc import Mapping
from pathlib import Path

from vestigo.data import Told
from vestigo.rules.rules import Rules
from vestigo.rules.vary import place_of
from vestigo.units import format_exact_bytes

_UNSEEN = {"Cf", "Co", "Zl", "Zp"}
"""What is not seen, or turns the text around, such as U+202E. Other controls are escaped by every writer of TOML."""
_SIZES = ("max_bytes", "entry_overhead", "assume_size")
FROM_SCRATCH = "from_scratch"
"""In a candidate's table: it does not build on the plan's own settings."""


def toml_text(tables: Mapping[str, object]) -> str:
    """The tables as TOML. Characters that are not seen are written as escapes.

    >>> print(toml_text({"lookup": {"a\\u202eb": {"absolute": "5m"}}}), end="")
    [lookup."a\\u202eb"]
    absolute = "5m"
    """
    import tomli_w

    text = tomli_w.dumps(tables)
    if text.isascii():
        return text
    return "".join(_escape(char) if unicodedata.category(char) in _UNSEEN else char for char in text)


def _escape(char: str) -> str:
    """They stand within quotes only, because nothing else may hold them."""
    return f"\\u{ord(char):04x}" if ord(char) < 1 << 16 else f"\\U{ord(char):08x}"


def plan_text(stated: Told, folder: Path | None = None) -> str:
    """The data of `Plan.to_dict` as TOML. Paths are relative to `folder`, where the file will be.

    >>> from vestigo.rules import Plan
    >>> print(plan_text(Plan(Rules(max_bytes=2**23, absolute="10m"), {"vessel": {"absolute": "never"}}).to_dict()))
    [rules]
    max_bytes = "8 MiB"
    absolute = "10m"
    <BLANKLINE>
    [lookup.vessel]
    absolute = "never"
    <BLANKLINE>
    """
    aim = dict(stated.get("aim", {}))
    worth = aim.pop("worth", {})
    tables = {
        "trace": _trace(stated, folder),
        **_settings(stated),
        "candidate": {name: _candidate(one, stated) for name, one in stated.get("candidates", {}).items()},
        "whatif": stated["what_if"],
        "origin": {**stated.get("origin", {}), **stated.get("origins", {})},
        "vary": stated.get("vary", {}),
        "aim": aim,
        "worth": worth,
        "counters": stated.get("counters", {}),
    }
    return toml_text({name: table for name, table in tables.items() if table})


def _trace(stated: Told, folder: Path | None) -> dict[str, object]:
    table: dict[str, object] = {}
    if (path := stated.get("trace_path")) is not None:
        table["path"] = Path(path if folder is None else os.path.relpath(path, folder)).as_posix()
    if stated["warm_up"] != "0s":
        table["warm_up"] = stated["warm_up"]
    return {**table, **stated.get("intake", {})}


def _settings(stated: Told) -> dict[str, object]:
    lookups = {name: _with_units(rules) for name, rules in stated["lookups"].items()}
    for name, patterns in stated["keys"].items():
        lookups.setdefault(name, {})["keys"] = {pattern: _with_units(rules) for pattern, rules in patterns}
    return {
        "rules": _with_units(stated["rules"]),
        "lookup": lookups,
        "pool": {name: _with_units(pool) for name, pool in stated["pools"].items()},
    }


def _candidate(own: Told, base: Told) -> dict[str, object]:
    """What is different in a candidate, if a file can say that; otherwise all of it."""
    goes_on = (
        own["keys"] == base["keys"]
        and own["pools"] == base["pools"]
        and list(own["lookups"])[: len(base["lookups"])] == list(base["lookups"])
        and own["rules"].keys() >= base["rules"].keys()
        and all(own["lookups"][name].keys() >= rules.keys() for name, rules in base["lookups"].items())
    )
    if not goes_on:
        tables = _settings(own)
        return {FROM_SCRATCH: True, **{name: table for name, table in tables.items() if table}}
    lookups = {
        name: _with_units(_different(rules, base["lookups"].get(name, {}))) for name, rules in own["lookups"].items()
    }
    rules = _with_units(_different(own["rules"], base["rules"]))
    changed = {name: each for name, each in lookups.items() if each or name not in base["lookups"]}
    return {name: table for name, table in (("rules", rules), ("lookup", changed)) if table}


def _different(own: Mapping[str, object], base: Mapping[str, object]) -> dict[str, object]:
    return {rule: value for rule, value in own.items() if rule not in base or base[rule] != value}


def _with_units(rules: Mapping[str, object]) -> dict[str, object]:
    """The rules with sizes in units."""
    return {name: _with_unit(name, value) for name, value in rules.items()}


def _with_unit(name: str, value: object) -> object:
    return format_exact_bytes(value) if name in _SIZES and type(value) is int else value


def rule_text(name: str, value: object) -> str:
    """A rule's value, as a plan file writes it, without quotes.

    >>> rule_text("max_bytes", 2**23), rule_text("absolute", None), rule_text("drop_first", True)
    ('8 MiB', 'never', 'true')
    """
    written = _with_unit(name, Rules.written(name, value))
    return str(written).lower() if isinstance(written, bool) else str(written)


def plan_lines(changes: Mapping[str, object]) -> str:
    """The changes as they stand in a plan file, with a table for each look-up or pool.

    >>> print(plan_lines({"lookup.vessel.sliding": "15m", "rules.overlap": "join"}))
    [lookup.vessel]
    sliding = "15m"
    <BLANKLINE>
    [rules]
    overlap = "join"
    """
    tables: Told = {}
    for key, value in changes.items():
        table, name, rule = place_of(key)
        place = tables.setdefault(table, {})
        (place.setdefault(name, {}) if name else place)[rule] = value
    return toml_text(tables).strip()
