"""The commands of docs/first-hour.md, each with the lines that the page shows of its output."""

import re
import shlex
from pathlib import Path
from typing import NamedTuple

PAGE = Path(__file__).parents[1] / "docs" / "first-hour.md"
FOLDER = "harbour"
"""Where all commands but the first are called."""
_STEP = re.compile(r"^```sh\n(.*?)^```\n(.*?)(?=^```sh|\Z)", re.DOTALL | re.MULTILINE)
_SHOWN = re.compile(r"^```text\n(.*?)^```", re.DOTALL | re.MULTILINE)
_ELSEWHERE = "explore"
"""Run in a browser, by tests/browser."""


class Step(NamedTuple):
    words: list[str]
    """The command without `vestigo`."""
    shown: list[str]

    @property
    def status(self) -> int:
        """The exit status that belongs to it."""
        return int(self.words[0] == "check")  # which finds mistakes

    def missing(self, printed: str) -> list[str]:
        """The lines of the page that were not printed."""
        lines = printed.splitlines()
        return [line for line in self.shown if not any(line in one for one in lines)]


def first_hour() -> list[Step]:
    """The steps in order. The first one makes the folder."""
    (begin, _), *others = _STEP.findall(PAGE.read_text(encoding="utf-8"))
    demo, enter = begin.splitlines()
    assert enter == f"cd {FOLDER}"
    steps = [Step(shlex.split(demo)[1:], [])]
    for commands, after in others:
        shown = [line for block in _SHOWN.findall(after) for line in block.splitlines()]
        steps += [Step(shlex.split(command)[1:], shown) for command in commands.splitlines()]
    return [step for step in steps if step.words[0] != _ELSEWHERE]
