"""Which rules a cache's answers show directly. The search for the other rules begins from there."""

from typing import Any

from vestigo.explaining.drive.answers import Given, Marks
from vestigo.explaining.drive.offered import Offered
from vestigo.rules import Plan
from vestigo.trace import Op


def as_observed(plan: Plan, offered: Offered, given: Given, driven: Marks) -> Plan:
    """The plan with the rules on nulls and on writes that the answers show."""
    hits = driven.of(driven.hit)
    value = given.value[hits.rows]
    rules: dict[str, Any] = {"rules.nulls": "keep" if offered.null[value].any() else "skip"}
    writes = offered.trace.op == Op.WRITE
    if writes.any():
        was_changed = offered.changed_at[value] <= offered.trace.at[hits.rows]
        replaces, leaves = writes[value].any(), was_changed.any()
        rules["rules.on_write"] = "replace" if replaces else "leave" if leaves else "drop"
    return plan.changed(rules)
