"""Each kind of mistake is found in a trace that shows it, with lines that mend it, and not in one alike."""

import re
import tomllib
from functools import cache
from pathlib import Path

import pytest

import vestigo as vg
from tests.study.made import MADE, Made
from vestigo import Plan, Rules
from vestigo.rules.plan_text import plan_text
from vestigo.study import plan_lines
from vestigo.study.check import mistakes
from vestigo.study.check.mistakes import WARM_UP

SOURCES = Path(mistakes.__file__).parent


def plan_of(made: Made) -> Plan:
    return Plan(Rules(**{"entry_overhead": 0, **made.rules}), **made.plan)


@cache
def check_of(number: int) -> vg.Check:
    """A check of the trace that shows the mistake."""
    return vg.check(MADE[number].make(True), plan_of(MADE[number]))


def names() -> list[str]:
    return [f"{number}-{made.kind}" for number, made in enumerate(MADE)]


@pytest.mark.parametrize("number", range(len(MADE)), ids=names())
def test_a_mistake_is_found_where_it_shows_and_not_in_a_trace_alike(number: int) -> None:
    made = MADE[number]
    shown, alike = check_of(number), vg.check(made.make(False), plan_of(made))
    assert made.kind in [one.kind for one in shown.mistakes]
    assert made.kind not in [one.kind for one in alike.mistakes]
    for one in shown.mistakes:
        assert re.search(r"\d|matches no key|no key", one.evidence), "it names what it saw"


@pytest.mark.parametrize("number", range(len(MADE)), ids=names())
def test_what_mends_it_is_taken_as_it_stands_and_gives_what_was_said(number: int, tmp_path: Path) -> None:
    made = MADE[number]
    plan, found = plan_of(made), check_of(number)
    (mistake, *_) = [one for one in found.mistakes if one.kind == made.kind]
    if not mistake.changes:
        return
    path = tmp_path / "plan.toml"
    path.write_text(_merged(plan_text(plan), plan_lines(mistake.changes)))
    mended = vg.read_plan(path)
    if WARM_UP in mistake.changes:
        assert mended.warm_up > plan.warm_up
        return
    outcome = vg.replay(made.make(True), mended)
    assert mistake.mended is not None
    assert outcome.hits == found.found[mistake.mended].hits
    assert outcome.memory_peak == found.found[mistake.mended].memory_peak


def _merged(text: str, lines: str) -> str:
    """The lines in a plan file, each in its table."""
    import tomli_w

    def laid(base: dict[str, object], over: dict[str, object]) -> dict[str, object]:
        both = base | over
        for name in base.keys() & over.keys():
            under, above = base[name], over[name]
            if isinstance(under, dict) and isinstance(above, dict):
                both[name] = laid(under, above)
        return both

    return tomli_w.dumps(laid(tomllib.loads(text), tomllib.loads(lines)))


def test_every_kind_that_is_looked_for_has_a_trace() -> None:
    kinds = set()
    for path in SOURCES.glob("*.py"):
        kinds |= set(re.findall(r'Suspicion\(\n\s+"([^"]+)"', path.read_text()))
    kinds |= {"lifetime longer than the trace", "trace of fewer than three lifetimes", "keys that are too narrow"}
    assert kinds == {made.kind for made in MADE}
