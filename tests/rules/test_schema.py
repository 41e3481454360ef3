"""The plan's JSON Schema takes every plan that there is, and refuses what `read_plan` refuses."""

import re
import tomllib
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from vestigo import PlanError, read_plan
from vestigo.rules.schema import plan_schema

PROJECT = Path(__file__).parents[2]
CHECK = jsonschema.Draft202012Validator(plan_schema())


def plans() -> dict[str, str]:
    found = {str(path.relative_to(PROJECT)): path.read_text() for path in PROJECT.glob("src/**/*.toml")}
    for page in [PROJECT / "README.md", *(PROJECT / "docs").glob("*.md")]:
        for number, text in enumerate(re.findall(r"```toml\n(.*?)```", page.read_text(), re.S)):
            found[f"{page.name} {number}"] = text
    return found


def test_the_schema_is_one() -> None:
    jsonschema.Draft202012Validator.check_schema(plan_schema())


@pytest.mark.parametrize("name", plans())
def test_every_plan_in_the_project_is_taken(name: str) -> None:
    assert [error.message for error in CHECK.iter_errors(tomllib.loads(plans()[name]))] == []


@pytest.mark.parametrize(
    "text",
    [
        "[rules]\nmax_entries = 0",
        "[rules]\nmax_entries = '5'",
        "[rules]\nabsolute = 5",
        "[rules]\nabsolut = '5m'",
        "[rules]\nnulls = 'keep 5'",
        "[rules]\neviction = 'lruu'",
        "[rules]\non_write = 'forget'",
        "[lookup.x]\njitter = 0.5",
        "[lookup.x.keys.'a{}']\npin = 5",
        "[pool.p]\nwhen_full = 'free'",
        "[candidate.c]\nabsolute = '5m'",
        "[whatif]\nnodes = 0",
        "[aim]\nmost = 'loads'",
        "[aim]\nmemory_peak = '64 MiB'",
        "[worth]\nmillion_loads = '3'",
        "[trace]\nat_unit = 'm'",
        "[trace.columns]\nkeys = '{k}'",
        "[nonsense]",
    ],
)
def test_a_broken_plan_is_refused_by_both(text: str, tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(text)
    with pytest.raises(PlanError):
        read_plan(tmp_path / "plan.toml")
    assert not CHECK.is_valid(tomllib.loads(text))


def test_every_rule_has_its_meaning_with_it() -> None:
    rules: dict[str, Any] = plan_schema()["properties"]["rules"]["properties"]
    assert rules["absolute"]["description"] == (
        "How long an entry lives after it was stored (see `lifetime_from`); for ever unless stated."
    )
    assert all(one["description"] for one in rules.values())


@pytest.mark.parametrize(
    "text",
    [
        '[aim]\nread_time.p95 = "<= 20ms"\nrehearsed.restart.recovery = "<= 2m"\nrehearsed.failed = "<= 5"\n',
        '[aim]\n"read_time.p95" = "<= 20ms"\n"rehearsed.restart.recovery" = "<= 2m"\n',
        '[origin]\nat_once = 5\ndown = "09:00 for 1s"\n[origin.far]\nlookups = ["x"]\nslower = ["2x 09:00 for 1m"]\n',
    ],
)
def test_limits_and_origins_are_taken_by_both(text: str, tmp_path: Path) -> None:
    CHECK.validate(tomllib.loads(text))
    (tmp_path / "plan.toml").write_text(text)
    assert read_plan(tmp_path / "plan.toml").to_dict()
