"""A plan as the text of a plan file, to be copied and replayed."""

import re
from typing import Any

from vestigo.rules.plan import Plan


def plan_text(plan: Plan) -> str:
    """Its rules, pools, warm-up and what is different about the trace, as TOML.

    >>> from vestigo.rules.rules import Rules
    >>> print(plan_text(Plan(Rules(max_entries=5, absolute="10m"), {"vessel": {"absolute": "never"}})))
    [rules]
    max_entries = 5
    absolute = "10m"
    <BLANKLINE>
    [lookup.vessel]
    absolute = "never"
    """
    stated = plan.to_dict()
    tables: list[tuple[str, dict[str, Any]]] = []
    if plan.warm_up:
        tables.append(("trace", {"warm_up": stated["warm_up"]}))
    tables.append(("rules", stated["rules"]))
    for lookup, rules in stated["lookups"].items():
        tables.append((f"lookup.{_key(lookup)}", rules))
    for lookup, patterns in stated["keys"].items():
        tables += [(f"lookup.{_key(lookup)}.keys.{_key(pattern)}", rules) for pattern, rules in patterns]
    tables += [(f"pool.{_key(name)}", pool) for name, pool in stated["pools"].items()]
    tables.append(("whatif", stated["what_if"]))
    texts = [_table(name, table) for name, table in tables if table or name.startswith("lookup.")]
    return "\n\n".join(texts)


def _table(name: str, table: dict[str, Any]) -> str:
    return "\n".join([f"[{name}]", *(f"{_key(key)} = {_value(value)}" for key, value in table.items())])


def _key(key: str) -> str:
    return key if re.fullmatch(r"[A-Za-z0-9_-]+", key) else _text(key)


def _value(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list):
        return f"[{', '.join(map(_value, value))}]"
    return str(value) if isinstance(value, int) else _text(str(value))


def _text(text: str) -> str:
    """In double quotes, whatever it holds."""
    plain = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(one if one.isprintable() else f"\\U{ord(one):08X}" for one in plain) + '"'
