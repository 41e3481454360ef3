"""Tells how far long work is: to a function of the user's own, or on a line of its own."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from time import monotonic
from typing import Any

from vestigo.arguments import problem_of_function
from vestigo.errors import RulesError

Progress = Callable[[str, int, int], object]
"""Called with what is being done (``"replays"``), how many are done, and how many there are: 0 if that is not known."""

_AFTER_SECONDS, _EVERY_SECONDS = 1.0, 0.2


def say_nothing(_: str, __: int, ___: int) -> None:
    """Tells nobody."""


@contextmanager
def reporting(progress: "Progress | bool | None") -> Iterator[Progress]:
    """What is called as the work goes on. In a notebook a line shows it, unless `progress` is False; with True a line
    shows it everywhere. The line comes after a second, and goes away when the work ends. Raises RulesError for what can
    not be called.

    >>> with reporting(lambda what, done, of: print(f"{done} of {of} {what}")) as report:
    ...     _ = report("replays", 1, 3)
    1 of 3 replays
    """
    if progress is not None and not isinstance(progress, bool):
        if problem := problem_of_function(progress, "progress", ("what", "done", "of")):
            raise RulesError(f"progress: {problem}; True shows a line, False nothing")
        yield progress
        return
    display = None if progress is False else _notebook()
    if display is None and progress is not True:
        yield say_nothing
        return
    line = _Line(_in_notebook(display) if display is not None else _on_stderr)
    try:
        yield line.report
    finally:
        line.end()


class _Line:
    def __init__(self, write: Callable[[str], None]) -> None:
        self._write = write
        self._begun = self._last = monotonic()
        self._is_shown = False

    def report(self, what: str, done: int, of: int) -> None:
        now = monotonic()
        if now - self._begun < _AFTER_SECONDS or (self._is_shown and now - self._last < _EVERY_SECONDS):
            return
        self._is_shown, self._last = True, now
        self._write(f"{what}: {done:,} of {of:,}" if of else what)

    def end(self) -> None:
        if self._is_shown:
            self._write("")


def _notebook() -> object:
    """What shows things in a notebook, if this is one."""
    ipython = sys.modules.get("IPython")
    shell = ipython.get_ipython() if ipython is not None else None
    if shell is None or not hasattr(shell, "kernel"):
        return None
    from IPython.display import display

    return display


def _in_notebook(display: Any) -> Callable[[str], None]:
    handle: list[Any] = []

    def write(text: str) -> None:
        content = {"text/plain": text}
        if handle:
            handle[0].update(content, raw=True)
        else:
            handle.append(display(content, raw=True, display_id=True))

    return write


def _on_stderr(text: str) -> None:
    sys.stderr.write(f"\r\x1b[K{text}")
    sys.stderr.flush()
