"""Writes docs/reference.md from the tables of the code: ``make reference``. A test compares the page with them."""

import ast
import inspect
import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from types import ModuleType
from typing import Any

from vestigo.cli.verbs import verbs
from vestigo.describing import findings, verdict
from vestigo.engine.reference.policies import POLICIES as CLASSES
from vestigo.explaining.check.mistakes import keys, lifetimes, origin, room, values
from vestigo.measures import MEASURES, MOMENTS
from vestigo.outcome.counts import WORDS
from vestigo.rules import Rules
from vestigo.rules.checked import said_of
from vestigo.rules.eviction import POLICIES
from vestigo.rules.plan_text import rule_text
from vestigo.rules.rule import rules_of
from vestigo.rules.schema import plan_schema

PAGE = Path(__file__).parent.parent / "docs" / "reference.md"
_BEGIN = """# Reference

Every rule, plan key, measure, policy, verb and finding. `make reference` makes this page from the tables of the code,
and a test compares the page with them. Names of the library are on the page [Python](api.md).

"""
_BETTER = {True: "more", False: "less"}


def main() -> None:
    if "--check" in sys.argv:
        sys.exit(0 if PAGE.read_text(encoding="utf-8") == page() else "docs/reference.md: run make reference")
    PAGE.write_text(page(), encoding="utf-8")


def page() -> str:
    parts = [_rules(), _plan_keys(), _measures(), _causes(), _policies(), _mistakes(), _survey(), _verbs()]
    return _BEGIN + "\n\n".join(parts) + "\n"


def _rules() -> str:
    """The rules by heading, in the order of the table."""
    said, schema = said_of(Rules), plan_schema()["properties"]["rules"]["properties"]
    headings: dict[str, list[Sequence[str]]] = {}
    for name, rule in rules_of(Rules).items():
        usual = _usual(rule_text(name, Rules.model_fields[name].default))
        row = (f"`{name}`", _may_be(schema[name]), usual, said[name])
        headings.setdefault(rule.heading, []).append(row)
    tables = [
        f"### {heading.capitalize()}\n\n{_table(('rule', 'may be', 'unless stated', 'what it is'), rows)}"
        for heading, rows in headings.items()
    ]
    lead = (
        "## Rules\n\nThey stand in `[rules]` for every look-up, in `[lookup.NAME]` for one, and in "
        '`[lookup.NAME.keys."PATTERN"]` for some of its keys. Those of the room can stand in `[pool.NAME]`, too.'
    )
    return "\n\n".join([lead, *tables])


def _plan_keys() -> str:
    parts = ["## The other tables of a plan"]
    schema = plan_schema()["properties"]
    for table in ("trace", "whatif", "origin", "aim", "worth", "counters"):
        rows = [
            (f"`{name}`", _may_be(one), one.get("description", ""))
            for name, one in schema[table]["properties"].items()
            if "properties" not in one and name.count(".") < 2  # what is said of one moment is said of each
        ]
        parts.append(
            f"### `[{table}]`\n\n{schema[table]['description']}\n\n{_table(('key', 'may be', 'what it is'), rows)}"
        )
        if table == "aim":
            named = f"`rehearsed.{MOMENTS[1]}.recovery`"
            parts.append(f"Each `rehearsed.` key can name a moment, as in {named}: {', '.join(MOMENTS)}.")
    others = [(f"`[{name}]`", schema[name]["description"]) for name in ("pool", "candidate", "vary")]
    return "\n\n".join([*parts, "### Tables of other tables", _table(("table", "what it is"), others)])


def _measures() -> str:
    rows = [
        (f"`{name}`", one.label, one.kind, _BETTER[one.more_is_better], one.meaning) for name, one in MEASURES.items()
    ]
    table = _table(("key", "in words", "kind", "better is", "what it is"), rows)
    return f"## Measures\n\nThe key stands in JSON, plans and Python; people read the words.\n\n{table}"


def _causes() -> str:
    rows = [(f"`{name}`", one.label, one.meaning) for name, one in WORDS.items()]
    lead = "## Causes of misses\n\nEvery miss has exactly one."
    return f"{lead}\n\n{_table(('name', 'in words', 'what it means'), rows)}"


def _policies() -> str:
    rows = []
    for name, known in POLICIES.items():
        first, _, source = inspect.cleandoc(CLASSES[name].__doc__ or "").partition("\n\n")
        given = ", ".join(f"`{key}={known.written(kind.usual)}`" for key, kind in known.parameters.items())
        rows.append((f"`{name}`", _one_line(first), given, _one_line(source)))
    table = _table(("name", "what it does", "parameters", "source"), rows)
    lead = 'Write `eviction = "slru protected=70%"`. Parameters are the paper\'s unless stated.'
    return f"## Eviction policies\n\n{lead}\n\n{table}"


def _mistakes() -> str:
    each = [one for module in (lifetimes, room, values, origin, keys) for one in _looks(module)]
    lead = "## Likely mistakes\n\nWhat `vestigo check` looks for. Each is priced by a replay."
    return f"{lead}\n\n{_table(('mistake', 'when it is suspected'), each)}"


def _looks(module: ModuleType) -> Iterator[tuple[str, str]]:
    """The kinds of mistakes that the functions of a module look for, with their docstrings."""
    for one in ast.parse(inspect.getsource(module)).body:
        if not isinstance(one, ast.FunctionDef) or one.name.startswith("_"):
            continue
        kinds = [
            call.args[0].value
            for call in ast.walk(one)
            if isinstance(call, ast.Call) and getattr(call.func, "id", "") == "Suspicion"
            if call.args and isinstance(call.args[0], ast.Constant)
        ]
        for kind in dict.fromkeys(map(str, kinds)):
            yield kind, _one_line(ast.get_docstring(one) or "")


def _survey() -> str:
    names = ("WORTH", "WITHIN_REQUEST", "ONLY_NULLS", "FIX_ORIGIN", "TOO_FAST", "TOO_LITTLE", "FIX_KEYS")
    verdicts = ", ".join(f"*{getattr(verdict, name)}*" for name in names)
    wrong = ", ".join(f"*{getattr(findings, name)}*" for name in ("NARROW", "WIDE", "SHARED", "SPELLINGS"))
    return f"## What a survey says\n\nVerdicts on look-ups: {verdicts}.\n\nFindings on keys: {wrong}."


def _verbs() -> str:
    rows = [(f"`vestigo {name}`", one.short, one.statuses) for name, one in verbs().items()]
    return (
        f"## Verbs\n\n`vestigo VERB --help` has the options.\n\n{_table(('verb', 'what it does', 'exit status'), rows)}"
    )


def _may_be(schema: dict[str, Any]) -> str:
    """Examples of what a value may be."""
    parts = [schema, *schema.get("anyOf", [])]
    words = [f"`{value}`" for part in parts for value in part.get("enum", [])]
    words += [f"`{part['const']}`" for part in parts if "const" in part]
    words += [f"`{example}`" for part in parts for example in part.get("examples", [])]
    kinds = {part.get("type") for part in parts}
    words += [word for kind, word in _WORDS.items() if kind in kinds and (kind != "string" or not words)]
    return ", ".join(dict.fromkeys(words))


_WORDS = {
    "integer": "a whole number",
    "number": "a number",
    "boolean": "`true`, `false`",
    "array": "a list",
    "object": "a table",
    "string": "text",
}


def _usual(text: str) -> str:
    return "" if text == "[]" else f"`{text.lower() if text in ('True', 'False') else text}`"


def _table(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    lines = [f"| {' | '.join(heads)} |", f"|{'---|' * len(heads)}"]
    return "\n".join([*lines, *(f"| {' | '.join(map(_cell, row))} |" for row in rows)])


def _cell(text: str) -> str:
    return _one_line(text).replace("``", "`").replace("|", "\\|")


def _one_line(text: str) -> str:
    return " ".join(text.split())


if __name__ == "__main__":
    main()
