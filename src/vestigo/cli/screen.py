"""What reaches the terminal: results on stdout, progress and notes on stderr."""

import re
import sys
import threading
import time
from typing import Self

from rich.console import Console, RenderableType

from vestigo.show.grid import WIDTH
from vestigo.show.safe import HELD, printable

_TRAILING = re.compile(r" +((?:\x1b\[[0-9;]*m)*)$", re.MULTILINE)
"""Blanks at the ends of lines, before a change of colour or none."""


def show(what: RenderableType) -> None:
    """Prints a result; in colour only on a terminal, and not if NO_COLOR is set."""
    console = Console(highlight=False, markup=False, emoji=False)
    if not console.is_terminal:
        console = Console(highlight=False, markup=False, emoji=False, width=WIDTH)
    with console.capture() as printed:
        if isinstance(what, str):
            console.print(what, soft_wrap=True)
        else:
            console.print(what, width=min(console.width, WIDTH))
    text = _TRAILING.sub(r"\1", printed.get())
    sys.stdout.write(text.replace(HELD, " "))


def note(text: str) -> None:
    print(f"vestigo: {printable(text, most=1000)}", file=sys.stderr)


class Progress:
    """One line on stderr, while work takes longer than a second and stderr is a terminal."""

    def __init__(self, after_seconds: float = 1.0) -> None:
        self._console = Console(stderr=True, markup=False, emoji=False)
        self._status = self._console.status("")
        self._timer = threading.Timer(after_seconds, self._status.start)
        self._timer.daemon = True
        self._begun: dict[str, tuple[float, int]] = {}

    def step(self, what: str) -> None:
        self._status.update(printable(what))

    def count(self, what: str, done: int, of: int) -> None:
        """So many of them are there; and how long the others will take, by those since the first call."""
        from vestigo.units import format_seconds

        now = time.monotonic()
        begun, known = self._begun.setdefault(what, (now, done))
        more = f", about {format_seconds((now - begun) / (done - known) * (of - done))} left" if done > known else ""
        self.step(f"{done:,} of {of:,} {what}{more}")

    def __enter__(self) -> Self:
        if self._console.is_terminal:
            self._timer.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._timer.cancel()
        self._status.stop()
