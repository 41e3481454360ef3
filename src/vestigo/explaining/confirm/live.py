"""Watches a running service: fetches its counters again and again, and says what turns."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from vestigo.explaining.confirm.fetching import Away, Fetching
from vestigo.explaining.confirm.watch import Turn, Watch
from vestigo.units import SECOND, counted, format_seconds

Say = Callable[[str], object]


@dataclass
class Live:
    """A service that is watched."""

    fetching: Fetching
    watch: Watch
    every_ns: int
    say: Say
    """Is told when the service does not answer, and when it does again."""
    wait: Callable[[float], object] = time.sleep
    scrapes: int = 0
    is_away: bool = False

    def turns(self, for_ns: int | None = None) -> Iterator[Turn]:
        """What leaves the prediction and what is back, as it comes, for so long or until Ctrl-C. Raises InputError for
        a service that shows no counters.
        """
        begun = due = time.monotonic_ns()
        while for_ns is None or due - begun <= for_ns:
            yield from self._scrape()
            due += max(self.every_ns, time.monotonic_ns() - due)  # a slow answer makes no crowd of calls
            self.wait(max(due - time.monotonic_ns(), 0) / SECOND)

    def _scrape(self) -> Iterator[Turn]:
        self.scrapes += 1
        try:
            counters = self.fetching.fetch()
        except Away as away:
            if not self.is_away:
                again = format_seconds(self.every_ns / SECOND)
                self.say(f"{self.fetching.url}: {away}; it is asked again every {again}")
            self.is_away = True
            return
        if self.is_away:
            self.say(f"{self.fetching.url}: answers again")
        self.is_away = False
        if counters is not None:
            yield from self.watch.see(counters)

    @property
    def in_words(self) -> str:
        """What was seen."""
        lost = f", {self.fetching.lost:,} of them without an answer" if self.fetching.lost else ""
        turns = counted(self.watch.turns, "time")
        left = f"left the prediction {turns}" if self.watch.turns else "never left the prediction"
        return f"{counted(self.scrapes, 'scrape')}{lost}: the running cache {left}"
