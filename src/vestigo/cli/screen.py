"""What reaches the terminal: results on stdout, progress and notes on stderr."""

import contextlib
import json
import math
import re
import sys
import threading
from collections import deque
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Self

from rich.console import Console, Group, RenderableType
from rich.progress import BarColumn, MofNCompleteColumn, SpinnerColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bars
from rich.text import Text

from vestigo.show.grid import WIDTH
from vestigo.show.safe import HELD, printable

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from vestigo.data import Told

_TRAILING = re.compile(r" +((?:\x1b\[[0-9;]*m)*)$", re.MULTILINE)
"""Blanks at the ends of lines, before a change of colour or none."""


_below: list[str] = []
"""What is still to be said below the result."""


def say_below(text: str) -> None:
    """Says something below the next result: on stdout below a text, on stderr beside JSON."""
    _below[:] = [text]


def show(what: RenderableType) -> None:
    """Prints a result. It has colours only on a terminal, and none if NO_COLOR is set."""
    if _below and not isinstance(what, str):
        what = Group(what, Text(), Text(_below.pop(), style="dim"))
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


def show_json(what: object, notes: Iterable[str] = ()) -> None:
    """Prints a result for machines. Notes go to stderr."""
    for said in (*notes, *_below):
        note(said)
    _below.clear()
    print(json.dumps(_strict(what), indent=2, allow_nan=False))


def show_line(what: "Told | str") -> None:
    """Prints a line at once, while more is to come. Data are a line of JSON."""
    print(what if isinstance(what, str) else json.dumps(_strict(what), allow_nan=False), flush=True)


def _strict(what: object) -> object:
    """The same with null for numbers that JSON does not have: NaN and the infinities."""
    if isinstance(what, dict):
        return {key: _strict(one) for key, one in what.items()}
    if isinstance(what, (list, tuple)):
        return [_strict(one) for one in what]
    return None if isinstance(what, float) and not math.isfinite(what) else what


def note(text: str) -> None:
    with contextlib.suppress(OSError):  # a note that cannot be written costs no result
        print(f"vestigo: {printable(text, most=1000)}", file=sys.stderr)


def save(axis: "Axes", path: Path, what: str) -> None:
    """Draws a figure into a file, and says so."""
    from vestigo.show.figures.canvas import save_figure

    save_figure(axis, path)
    note(f"{path}: {what}")


_steps: deque[str] = deque(maxlen=1)


def last_step() -> str:
    """What is being done, as it was last shown."""
    return printable(_steps[0]) if _steps else ""


class Progress:
    """Shows on stderr what is being done, how much of it is done, and how long the rest will take. It appears if the
    work takes longer than a second and stderr is a terminal.
    """

    def __init__(self, after_seconds: float = 1.0) -> None:
        self._console = Console(stderr=True, markup=False, emoji=False)
        columns = (SpinnerColumn(), TextColumn("{task.description}", markup=False))
        counted = (BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
        self._bars = Bars(*columns, console=self._console, transient=True)
        self._counted = counted
        self._task = self._bars.add_task("", total=None)
        self._counting = ""
        self._is_shown = False
        self._timer = threading.Timer(after_seconds, self._begin)
        self._timer.daemon = True

    def _begin(self) -> None:
        self._is_shown = True
        self._bars.start()

    def step(self, what: str) -> None:
        """Shows a step whose length is not known."""
        _steps.append(what)
        self._bars.columns = self._bars.columns[:2]
        self._counting = ""
        self._bars.reset(self._task, total=None, description=printable(what))

    def count(self, what: str, done: int, of: int) -> None:
        """Shows how many are done. The time left is estimated from those done since the first call. It is a step if
        nobody knows how many there are.
        """
        if not of:
            self.step(what)
            return
        if self._counting != what:
            _steps.append(what)
            self._counting = what
            self._bars.columns = (*self._bars.columns[:2], *self._counted)
            self._bars.reset(self._task, total=of, completed=done, description=printable(what))
        self._bars.update(self._task, completed=done, total=of)

    def __enter__(self) -> Self:
        if self._console.is_terminal:
            self._timer.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._timer.cancel()
        if self._is_shown:
            self._bars.stop()
