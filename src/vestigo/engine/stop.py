"""Gives up a replay that nobody waits for any more."""

from threading import Event

from vestigo.errors import Interrupted


class Stop:
    """One thread asks for the stop, and another obeys: a replay looks at it between the batches that it feeds to the
    kernel.

    >>> stop = Stop()
    >>> stop.check()
    >>> stop.ask()
    >>> stop.check()
    Traceback (most recent call last):
    ...
    vestigo.errors.Interrupted: the replay was given up
    """

    def __init__(self) -> None:
        self._asked = Event()

    def ask(self) -> None:
        self._asked.set()

    def check(self) -> None:
        """Raises Interrupted if it was asked for."""
        if self._asked.is_set():
            raise Interrupted("the replay was given up")
