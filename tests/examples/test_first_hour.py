"""The first hour, followed to the letter: the demo, then each command of the page, which prints what the page shows."""

import re
import shlex
from pathlib import Path

from tests.cli.calling import run, run_apart

PAGE = (Path(__file__).parents[2] / "docs" / "first-hour.md").read_text()
STEP = re.compile(r"^```sh\n(.*?)^```\n(.*?)(?=^```sh|\Z)", re.DOTALL | re.MULTILINE)
SHOWN = re.compile(r"^```text\n(.*?)^```", re.DOTALL | re.MULTILINE)
ELSEWHERE = "explore"
"""Run in a browser, by tests/browser."""


def test_the_demo_and_every_step_print_what_the_page_shows(tmp_path: Path) -> None:
    (begin, _), *steps = STEP.findall(PAGE)
    demo, enter = begin.splitlines()
    assert enter == "cd harbour" and len(steps) == 10
    _check_demo(tmp_path, *shlex.split(demo)[1:])
    for commands, after in steps:
        for command in commands.splitlines():
            words = shlex.split(command)
            if words[1] == ELSEWHERE:
                continue
            done = run(*words[1:], cwd=tmp_path / "harbour")
            assert done.returncode == (words[1] == "check"), done.stderr  # which finds mistakes
            printed = done.stdout.splitlines()
            shown = [line for block in SHOWN.findall(after) for line in block.splitlines()]
            assert shown and [line for line in shown if not any(line in one for one in printed)] == []


def _check_demo(folder: Path, *words: str) -> None:
    """It answers within 100 columns, without a blank at the end of a line, and leaves its files."""
    done = run_apart(*words, cwd=folder)
    assert done.returncode == 0 and done.stderr == ""
    names = sorted(path.name for path in (folder / "harbour").iterdir())
    expected = "odd-keys.csv picked.toml plan.results plan.toml report.html skerrow-quay.parquet"
    assert names == expected.split()
    printed = done.stdout.splitlines()
    assert "\nReplayed: 4 nodes, a cache each. Today's settings answer 39.8 % of 153,193 reads" in done.stdout
    assert "\nFound settings with fresh hits 72.2 % (today 32.9 %)" in done.stdout
    assert not any(line.endswith(" ") for line in printed) and max(map(len, printed)) <= 100
    for name in ("no cache", "today", "half-a-day", "no limits, fresh"):
        assert any(line.startswith(name) for line in printed)
