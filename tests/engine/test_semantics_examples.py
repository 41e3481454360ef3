"""The examples of docs/semantics.md, "Each rule by example", mean what they say, on both engines."""

import re
from pathlib import Path
from typing import Any

import pytest

import vestigo as vg
from vestigo.measures import amount_of
from vestigo.rules.values import from_text
from vestigo.units import Duration, parse_bytes

PAGE = (Path(__file__).parents[2] / "docs" / "semantics.md").read_text()
PART = PAGE[PAGE.index("### Each rule by example") : PAGE.index("## 3. One read")]
ROWS = re.findall(r"^\| `(.+)` \| `(.+)` \| (.+) \|$", PART, re.MULTILINE)
SECONDS = re.compile(r"(\d+)s (?:(write|remove|clear|restart)\b ?)?(\w)?")


def event(text: str) -> dict[str, Any]:
    """``4s a null load 5s @n1``, as the columns of a trace."""
    found = SECONDS.match(text)
    assert found is not None, text
    size = re.search(r"\d+ (?:B|KiB)", text[found.end() :])
    load, node, scope = (re.search(pattern, text) for pattern in (r"load (\w+)", r"@(\w+)", r"#(\w+)"))
    return {
        "at": int(found[1]) * 10**9,
        "op": found[2] or "read",
        "key": found[3],
        "found": "null" not in text,
        "size": None if size is None else parse_bytes(size[0]),
        "cost": None if load is None else int(Duration.parse(load[1])),
        "node": node and node[1],
        "scope": scope and scope[1],
    }


def trace_of(text: str) -> vg.Trace:
    events = [event(one) for one in text.split("; ")]
    columns = {name: [one[name] for one in events] for name in events[0]}
    return vg.read_trace({name: column for name, column in columns.items() if any(one is not None for one in column)})


def plan_of(text: str) -> vg.Plan:
    stated = {name: from_text(value) for name, value in (one.split(" = ", 1) for one in text.split("; "))}
    of_origin = {name.removeprefix("origin."): value for name, value in stated.items() if name.startswith("origin.")}
    rules = {name: value for name, value in stated.items() if not name.startswith("origin.")}
    return vg.Plan(vg.Rules(**rules), origin=of_origin)


def test_every_rule_has_an_example() -> None:
    shown = {part.split(" = ")[0] for rules, _, _ in ROWS for part in rules.split("; ")}
    of_origin = {f"origin.{name}" for name in vg.Origin.model_fields if name not in ("lookups", "zone")}
    assert shown == {*vg.Rules.model_fields, *of_origin}


@pytest.mark.parametrize(("rules", "events", "expected"), ROWS, ids=[rules for rules, _, _ in ROWS])
def test_an_example_means_what_it_says(engine: Any, rules: str, events: str, expected: str) -> None:
    trace, settings = trace_of(events), plan_of(rules)
    answers, *amounts = expected.split("; ")
    frame = vg.read_by_read(trace, settings, engine=engine).to_pandas()
    stale = frame["stale_age"].notna()
    met = frame["cause"].astype(object).where(frame["cause"].notna(), frame["answer"].astype(object))
    met = met.where(~((met == "hit") & stale), "stale hit")
    assert met.tolist() == answers.split(", ")
    outcome = vg.replay(trace, settings, engine=engine)
    for one in amounts:
        name, amount = one.split(" = ")
        assert amount_of(outcome, name) == float(amount)
