"""A plan of anything at all is read, or refused in sentences that say the line; nothing else comes out."""

import contextlib
import dataclasses
import math
from pathlib import Path
from typing import Any

import pytest
import tomli_w
from hypothesis import example, given
from hypothesis import strategies as st

from tests.trials.cases import bounded
from vestigo import Plan, PlanError, Pool, Rules, RulesError, compare, read_plan, read_trace
from vestigo.measures import MEASURES
from vestigo.rules.aim import Worth
from vestigo.rules.what_if import WhatIf
from vestigo.trace import Intake

TRACE = read_trace({"at": [0, 10, 20, 30], "key": ["a", "b", "a", "b"], "cost": [1, 2, 3, 4]})

WORDS = """never all keep skip blind drop replace node scope touch prompt evict refuse lru slru protected=70% lru-k k=9
belady 10m 1ns 0s 99999d 70% 100% 0% 06:00 25:00 UTC Europe/Oslo 2026-03-02T06:00:00Z <= >= 5 today {...} {} {a}{b}
s ms a reads"""
PHRASES = """keep 30s/no limit/replace, reload/every 30s/free 10%/64 MiB/1 KiB/0 B/<= 5/<= today/>= today + 10 %/size
<= 5 KiB/key = {...}/in turn/by key"""
TEXTS = ["", *WORDS.split(), *(phrase.strip() for phrase in PHRASES.split("/"))]

values = st.recursive(
    st.one_of(
        st.sampled_from(TEXTS),
        st.text(max_size=6),
        st.integers(-5, 5),
        st.sampled_from([10**160, -(10**160), 2**63, 2**31 - 1, 2**64]),
        st.sampled_from([0.0, 0.5, 1e300, math.inf, -math.inf, math.nan]),
        st.booleans(),
        st.dates().map(lambda date: Raw(date.isoformat())),
    ),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["a", "reads", "rules", ""]), inner, max_size=2)
    ),
    max_leaves=3,
)

KEYS = {
    "trace": ["path", "warm_up", *(field.name for field in dataclasses.fields(Intake))],
    "rules": list(Rules.model_fields),
    "lookup.reads": list(Rules.model_fields),
    'lookup.reads.keys."{...}"': list(Rules.model_fields),
    "pool.p": list(Pool.model_fields),
    "candidate.c": ["rules", "lookup", "pool"],
    "candidate.c.rules": list(Rules.model_fields),
    "whatif": list(WhatIf.model_fields),
    "vary": [f'"rules.{name}"' for name in Rules.model_fields],
    "aim": ["most", "least", *(f'"{name}"' for name in MEASURES)],
    "worth": [field.name for field in dataclasses.fields(Worth)],
}


class Raw(str):
    """A value of one of TOML's kinds."""


def toml(value: Any) -> str:
    if isinstance(value, Raw):
        return value
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, str):
        return tomli_w.dumps({"text": value}).removeprefix("text = ").strip()
    if isinstance(value, list):
        return f"[{', '.join(map(toml, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{toml(key)} = {toml(one)}' for key, one in value.items())}}}"
    return repr(value)


def accepted(name: str) -> list[Any]:
    """The texts and numbers that a rule takes by itself."""
    found = []
    for value in (*TEXTS, 1, 5, True):
        with contextlib.suppress(RulesError):
            Rules(**{name: value})
            found.append(value)
    return found


SENSE = {name: accepted(name) for name in Rules.model_fields}
"""What each rule takes."""


@st.composite
def plans(draw: st.DrawFn, is_wild: bool) -> dict[str, dict[str, Any]]:
    """Tables of a plan: of anything at all, or of rules that each mean something, and circumstances."""
    if is_wild:
        names = draw(st.lists(st.sampled_from(list(KEYS)), min_size=1, max_size=3, unique=True))
        keys = {name: st.sampled_from([*KEYS[name], "nonsense"]) for name in names}
        return {name: draw(st.dictionaries(keys[name], values, max_size=3)) for name in names}
    found: dict[str, dict[str, Any]] = {}
    for place in draw(
        st.lists(st.sampled_from(["rules", "lookup.reads", "candidate.c.rules"]), max_size=2, unique=True)
    ):
        names = draw(st.lists(st.sampled_from([name for name in SENSE if SENSE[name]]), max_size=2, unique=True))
        found[place] = {name: draw(st.sampled_from(SENSE[name])) for name in names}
    if draw(st.booleans()):
        found["whatif"] = {
            name: draw(st.sampled_from([1, 2, "1.5", 7]))
            for name in draw(st.sets(st.sampled_from(["traffic", "changes"])))
        } | draw(st.sampled_from([{}, {"nodes": 3}, {"nodes": 2, "spread": "by key"}]))
    if draw(st.booleans()):
        most = {"most": draw(st.sampled_from(["hit_rate", "fresh_hit_rate", "time_saved"]))}
        found["aim"] = most | draw(st.sampled_from([{}, {'"memory_peak"': "<= 64 MiB"}, {'"loads"': "<= today"}]))
    return found


@given(plans(is_wild=True))
@example({"rules": {"max_entries": 10**160}})
@example({"trace": {"warm_up": 10**160}})
@example({"trace": {"at_unit": ["s"], "columns": "x"}})
@example({"aim": {"most": 5}})
@example({"aim": {"most": ["loads"]}})
@example({"whatif": {"nodes": 2**31 - 1}})
@example({"whatif": {"traffic": math.inf}})
@example({"vary": {'"rules.max_entries"': [10**160]}})
def test_a_plan_of_anything_is_read_or_refused(
    tmp_path_factory: pytest.TempPathFactory, stated: dict[str, dict[str, Any]]
) -> None:
    try_plan(tmp_path_factory.mktemp("plans") / "plan.toml", stated)


def test_plans_of_rules_that_mean_something_are_replayed_or_refused_and_half_are_replayed(tmp_path: Path) -> None:
    replayed: list[bool] = []

    @given(plans(is_wild=False))
    def try_one(stated: dict[str, dict[str, Any]]) -> None:
        replayed.append(try_plan(tmp_path / "plan.toml", stated))

    try_one()
    assert len(replayed) >= 20
    assert sum(replayed) >= len(replayed) / 2


def try_plan(path: Path, stated: dict[str, dict[str, Any]]) -> bool:
    """Whether the plan was replayed. Refusals name the file."""
    text = "\n".join(
        line
        for name, table in stated.items()
        for line in [f"[{name}]", *(f"{key} = {toml(v)}" for key, v in table.items())]
    )
    path.write_text(text, encoding="utf-8")
    try:
        plan = read_plan(path)
    except PlanError as error:
        if any(str(path) not in problem for problem in error.problems):
            raise
        return False
    small = dataclasses.replace(plan, candidates=dict(plan.candidates), vary={})
    if small.what_if.traffic <= 50 and (small.what_if.nodes or 0) <= 1000:
        with contextlib.suppress(RulesError), bounded():
            compare(TRACE, small)
            return True
    return False


def test_limits_that_make_sense_are_said(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text("[whatif]\nnodes = 2147483647\n[rules]\nmax_entries = 1" + "0" * 160 + "\n")
    with pytest.raises(PlanError, match=r"line 2: .*at most 10,000 nodes[\s\S]*line 4: .*max_entries.* is more than"):
        read_plan(path)
    assert Plan().what_if.nodes is None
