"""The first hour, followed to the letter: each command of the page runs, and prints what the page shows of it."""

import dataclasses
import re
import shlex
from pathlib import Path

import pytest

import vestigo as vg
from tests.cli.calling import run
from vestigo.demo.files import write_demo
from vestigo.rules.vary import changed

PAGE = (Path(__file__).parents[2] / "docs" / "first-hour.md").read_text()
STEP = re.compile(r"^```sh\n(.*?)^```\n(.*?)(?=^```sh|\Z)", re.DOTALL | re.MULTILINE)
SHOWN = re.compile(r"^```text\n(.*?)^```", re.DOTALL | re.MULTILINE)
ELSEWHERE = ("demo", "cd", "explore")
"""Run by other tests: the demo in tests/cli, the page with knobs in tests/browser."""


@pytest.fixture(scope="module")
def harbour(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("first-hour") / "harbour"
    write_demo(folder)
    return folder


def test_every_step_prints_what_the_page_shows(harbour: Path) -> None:
    steps = STEP.findall(PAGE)
    assert len(steps) == 10
    for commands, after in steps:
        for command in commands.splitlines():
            words = shlex.split(command)
            if words[0] == "cd" or words[1] in ELSEWHERE:
                continue
            done = run(*words[1:], cwd=harbour)
            assert done.returncode == (words[1] == "check"), done.stderr  # which finds mistakes
            printed = done.stdout.splitlines()
            shown = [line for block in SHOWN.findall(after) for line in block.splitlines()]
            assert shown and [line for line in shown if not any(line in one for one in printed)] == []


def test_what_it_says_of_the_page_with_knobs_is_so(harbour: Path) -> None:
    plan = vg.read_plan(harbour / "plan.toml")
    by_hand = changed(plan.candidates["tended"], {"lookup.weather.clear_every": "10m", "lookup.weather.absolute": "1h"})
    outcome = vg.replay(harbour / "skerrow-quay.parquet", dataclasses.replace(by_hand, warm_up=plan.warm_up))
    assert round(outcome.fresh_hit_rate, 2) == 0.68
