"""Puts rules into a plan file that is there already. All else in it stays as it is, comments included."""

from collections.abc import Mapping
from pathlib import Path

from vestigo.errors import PlanError, RulesError
from vestigo.files import write_text
from vestigo.rules.plan import Plan
from vestigo.rules.plan_file import read_plan
from vestigo.rules.plan_text import rule_text
from vestigo.rules.rules import Rules


def state_rules(path: Path, rules: Mapping[str, object]) -> tuple[str, ...]:
    """Writes rules into the ``[rules]`` of a plan file, which is made if it is not there. Returns the tables that state
    one of them otherwise, and so keep their own: look-ups, and candidates that build on nothing.

    Raises PlanError if the file is no plan, or would be none with these rules, and InputError if it cannot be written.
    """
    import tomlkit

    plan = read_plan(path) if path.exists() else Plan()
    try:
        plan.changed({f"rules.{name}": value for name, value in rules.items()})
    except RulesError as error:
        raise PlanError([f"{path}: {problem}" for problem in error.problems]) from None
    document = tomlkit.parse(path.read_bytes().decode() if path.exists() else "")
    table = document.setdefault("rules", tomlkit.table())
    table.update({name: rule_text(name, value) for name, value in rules.items()})
    write_text(path, tomlkit.dumps(document))
    return _others(read_plan(path), set(rules))


def _others(plan: Plan, names: set[str]) -> tuple[str, ...]:
    """The tables whose rules of these names differ from those of all."""
    tables = {f"lookup.{name}": plan.rules_for(name) for name in plan.lookups}
    for name, candidate in plan.candidates.items():
        tables |= {f"candidate.{name}": candidate.rules}
        tables |= {f"candidate.{name}.lookup.{of}": candidate.rules_for(of) for of in candidate.lookups}

    def differs(own: Rules) -> bool:
        return any(getattr(own, name) != getattr(plan.rules, name) for name in names)

    return tuple(name for name, own in tables.items() if differs(own))
