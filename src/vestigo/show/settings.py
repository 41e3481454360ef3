"""Shows settings as text: a row for each rule that is stated, a column for each look-up that states one."""

from collections.abc import Mapping

from rich.console import Group, RenderableType
from rich.text import Text

from vestigo.rules import Aim, Plan, Worth
from vestigo.rules.checked import Checked
from vestigo.rules.plan_text import rule_text
from vestigo.show.grid import NAME, Column, grid
from vestigo.show.safe import printable
from vestigo.show.view import shown
from vestigo.trace import Intake

_MOST_LOOKUPS = 8


@shown.register
def plan_shown(plan: Plan) -> RenderableType:
    """The rules of each look-up, and a line for everything else that a plan states."""
    tables = {"every look-up": plan.rules, **{name: plan.rules_for(name) for name in [*plan.lookups][:_MOST_LOOKUPS]}}
    stated = {rule: None for rules in tables.values() for rule in rules.to_dict()}
    columns = [
        Column(printable(name, NAME), "", [_short(rule_text(rule, getattr(rules, rule))) for rule in stated])
        for name, rules in tables.items()
    ]
    more = len(plan.lookups) - _MOST_LOOKUPS
    others = [f"and {more:,} more look-ups"] if more > 0 else []
    others += [f"{name}: {_short(str(value), 200)}" for name, value in _others(plan).items()]
    parts: list[RenderableType] = [grid("rule", list(stated), columns, [""] * len(stated))] if stated else []
    lines = [Text(printable(line, most=300)) for line in others]
    return Group(*parts, *lines) if parts or lines else Text("No rules: everything is kept, and nothing expires.")


def _others(plan: Plan) -> Mapping[str, object]:
    told = plan.to_dict()
    named = (
        "keys",
        "pools",
        "what_if",
        "origin",
        "origins",
        "vary",
        "aim",
        "candidates",
        "trace_path",
        "intake",
        "counters",
    )
    found = {name.replace("_", " "): told[name] for name in named if told.get(name)}
    if "candidates" in found:
        found["candidates"] = ", ".join(plan.candidates)
    return {"warm-up": plan.warm_up, **found} if plan.warm_up else found


@shown.register
def stated_shown(what: Checked | Aim | Worth | Intake) -> RenderableType:
    """A row for each thing that is stated."""
    stated = what.to_dict()
    if not stated:
        return Text(f"{type(what).__name__}: nothing is stated.")
    cells = [_short(str(value), 70) for value in stated.values()]
    return grid(type(what).__name__, list(stated), [Column("", "", cells)], [""] * len(stated))


def _short(text: str, most: int = 24) -> str:
    return printable(text, most=most)
