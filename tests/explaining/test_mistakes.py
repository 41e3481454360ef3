"""Each kind of mistake is found in a trace that shows it, with lines that fix it, and not in one alike."""

import re
import tomllib
from functools import cache
from pathlib import Path
from typing import get_args

import numpy as np
import pytest

import vestigo as vg
from tests.explaining.made import MADE, Made, every
from vestigo import Plan, Rules
from vestigo.explaining.check.mistakes.suspicion import Kind
from vestigo.rules.plan_text import plan_lines, plan_text
from vestigo.units import SECOND


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
        assert mistake.fixed is None, "nothing mends it"
        return
    path = tmp_path / "plan.toml"
    path.write_text(_merged(plan_text(plan.to_dict()), plan_lines(mistake.changes)))
    fixed = vg.read_plan(path)
    outcome = vg.replay(made.make(True), fixed)
    assert mistake.fixed is not None
    assert outcome.hits == found.found[mistake.fixed].hits
    assert outcome.memory_peak == found.found[mistake.fixed].memory_peak


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
    of_the_survey = {"keys that are too wide", "keys: used by two look-ups", "keys: in several spellings"}
    assert {*get_args(Kind)} == {made.kind for made in MADE} | of_the_survey


@pytest.mark.parametrize(
    ("lifetime", "meant", "every_seconds", "times"),
    [("5ms", "5s", 1.0, "a thousandth"), ("600ms", "10m", 90.0, "a thousandth"), ("5s", "5m", 100.0, "a sixtieth")],
)
def test_a_slip_of_units_is_named_with_the_amount_of_the_lines_below(
    lifetime: str, meant: str, every_seconds: float, times: str
) -> None:
    trace = every(every_seconds, 600, 3)
    found = vg.check(trace, Rules(absolute=lifetime))
    (mistake,) = [one for one in found.mistakes if one.kind == "lifetime too short"]
    if not vg.replay(trace, Rules(absolute=meant)).hits:
        assert "perhaps" not in mistake.evidence
        return
    assert f"perhaps {meant} was meant, and this is {times} of it" in mistake.evidence
    assert mistake.changes == {"lookup.reads.absolute": meant}


def test_a_slip_towards_too_long_is_named_too() -> None:
    found = vg.check(every(1, 600, 3), Rules(absolute="300000s"))
    (mistake,) = [one for one in found.mistakes if one.kind == "lifetime longer than the trace"]
    assert "perhaps 5m was meant, and this is 1,000 times as much" in mistake.evidence
    assert mistake.changes == {"rules.absolute": "5m"}
    for round_one in ("1h", "1d", "12h"):
        assert "perhaps" not in str(vg.check(every(1, 600, 3), Rules(absolute=round_one)))


def test_a_cold_start_is_advice_and_only_where_it_moves_the_aim() -> None:
    draws = np.random.default_rng(3)
    cold = vg.read_trace({"at": np.arange(3000) * SECOND, "key": draws.integers(0, 300, 3000)})
    (said,) = vg.check(cold, Rules()).advice
    now, then = (
        vg.replay(cold, Rules()),
        vg.replay(cold, Plan(Rules(), warm_up=re.findall(r"warm_up = (\w+)", said)[0])),
    )
    assert said.startswith("the cold start is counted: with warm_up = ")
    assert f"hit rate is {100 * then.hit_rate:.1f} % instead of {100 * now.hit_rate:.1f} %" in said
    assert "Advice: the cold start is counted" in str(vg.check(cold, Rules()))
    for steady in (every(1, 61), vg.read_trace({"at": np.arange(999) * SECOND, "key": np.arange(999) // 3})):
        assert vg.check(steady, Rules()).advice == ()
        assert all("warm" not in one.kind for one in vg.check(steady, Rules()).mistakes)


def test_where_loads_take_as_long_as_lifetimes_check_says_that_it_matters() -> None:
    trace = every(1, 600, 2, cost=[4 * SECOND] * 600)
    (said,) = [one for one in vg.check(trace, Rules(absolute="3s")).advice if "loads" in one]
    asked = vg.replay(trace, Rules(absolute="3s", lifetime_from="asked"))
    assert asked.hits == 0
    assert said.startswith("loads of reads take 4.00 s, and absolute is 3s: it matters from when on your cache counts")
    assert "With lifetime_from = asked its hit rate is 0 % instead of" in said
    assert not [one for one in vg.check(trace, Rules(absolute="10m")).advice if "loads" in one]
