"""Keeps account of spans, from several threads: each that came in is written, left out, refused or dropped."""

import threading
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import replace

from vestigo.recording.heard import Heard

_MOST_REASONS = 50
_OTHERWISE = "other reasons"


class Accounts:
    """Counts of spans and of refused requests. Reasons do not pile up: beyond fifty, all are "other reasons"."""

    def __init__(self, say: Callable[[str], None] = lambda _: None) -> None:
        """`say` is given each unexpected cause once, as a sentence."""
        self._counting = threading.Lock()
        self._heard = Heard()
        self._say, self._said = say, set[str]()

    @property
    def heard(self) -> Heard:
        with self._counting:
            return self._heard

    def count(self, left_out: Mapping[str, int] | None = None, **more: int) -> None:
        """Adds to the counts of `Heard` by name, and to its reasons for spans that are left out."""
        with self._counting:
            here = self._heard
            counts = {name: getattr(here, name) + count for name, count in more.items()}
            self._heard = replace(here, left_out=_added(here.left_out, left_out or {}), **counts)

    def turned_away(self, why: str) -> None:
        """Counts a request or connection that was refused."""
        with self._counting:
            self._heard = replace(self._heard, turned_away=_added(self._heard.turned_away, {why: 1}))

    def drop_what_waits(self) -> None:
        """Counts as dropped what is still not accounted for, at the end."""
        with self._counting:
            self._heard = replace(self._heard, dropped=self._heard.dropped + self._heard.waiting)

    def say_once(self, sentence: str) -> None:
        with self._counting:
            if sentence in self._said or len(self._said) >= _MOST_REASONS:
                return
            self._said.add(sentence)
        self._say(sentence)


def _added(reasons: Mapping[str, int], more: Mapping[str, int]) -> dict[str, int]:
    sums = Counter(reasons)
    for why, count in more.items():
        sums[why if why in sums or len(sums) < _MOST_REASONS else _OTHERWISE] += count
    return dict(+sums)
