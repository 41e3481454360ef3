"""Spans of time on the clock in which something is otherwise, such as ``2026-03-17 09:00 for 60s``."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from fractions import Fraction
from typing import NamedTuple
from zoneinfo import ZoneInfo

from vestigo.rules.moments import days_between, instant_of
from vestigo.units import Duration

_WINDOW = re.compile(r"(?:(\S+)x\s+)?(\d\S*(?:\s+\d\d:\S+)?)\s+for\s+(\S.*)")
_MOST_TIMES = 1000


class Stretch(NamedTuple):
    """From one moment to another, in ns since the epoch, and how many times as slow it is then."""

    begins: int
    ends: int
    times: Fraction


class Window(NamedTuple):
    begins: datetime | time | int
    """A moment on the clock, a time of day, or ns since the epoch."""
    span: Duration
    times: Fraction


@dataclass(frozen=True)
class Windows:
    """Spans of time, in the order and the words in which they were given."""

    texts: tuple[str, ...] = ()
    each: tuple[Window, ...] = ()

    @classmethod
    def down(cls, value: object) -> "Windows":
        """Reads when an origin is away. Raises ValueError.

        >>> Windows.down("2026-03-17 09:00 for 60s").texts
        ('2026-03-17 09:00 for 60s',)
        """
        return cls._read(value, False)

    @classmethod
    def slower(cls, value: object) -> "Windows":
        """Reads when an origin is slower, and how much. Raises ValueError.

        >>> Windows.slower(["3x 09:00 for 10m", "1.5x 18:00 for 1h"]).each[1].times
        Fraction(3, 2)
        """
        return cls._read(value, True)

    @classmethod
    def _read(cls, value: object, slower: bool) -> "Windows":
        if isinstance(value, Windows):
            return value
        if value is None or value in ("never", ()):
            return cls()
        texts = (value,) if isinstance(value, str) else tuple(value) if isinstance(value, Sequence) else ()
        if not texts:
            raise ValueError(f"{value!r} is no span of time; write {_shown(slower)}, or a list of them")
        return cls(tuple(map(str, texts)), tuple(_window(text, slower) for text in texts))

    def between(self, begin_ns: int, end_ns: int, zone: str) -> list[Stretch]:
        """Those that have some time between two moments, in the order in which they begin. Times of day come every
        day.
        """
        place, found = ZoneInfo(zone), list[Stretch]()
        for begins, span, times in self.each:
            if isinstance(begins, time):
                moments = [instant_of(day, begins, place) for day in days_between(begin_ns - span, end_ns, place)]
            else:
                moments = [begins if isinstance(begins, int) else _instant(begins, place)]
            found += [Stretch(at, at + span, times) for at in moments if at <= end_ns and at + span > begin_ns]
        return sorted(found)

    def __bool__(self) -> bool:
        return bool(self.each)

    def __str__(self) -> str:
        return ", ".join(self.texts) or "never"


def _shown(slower: bool) -> str:
    factor = "3x " if slower else ""
    return f'"{factor}2026-03-17 09:00 for 60s", or with a time of day "{factor}09:00 for 60s"'


def _window(text: object, slower: bool) -> Window:
    read = _WINDOW.fullmatch(text.strip()) if isinstance(text, str) else None
    try:
        if read is None or (read[1] is not None) != slower:
            raise ValueError
        times = Fraction(read[1] or 1)
        begins = _begins(read[2])
    except (ValueError, ZeroDivisionError):
        raise ValueError(f"{text!r} is no span of time; write {_shown(slower)}") from None
    if not 1 <= times <= _MOST_TIMES:
        raise ValueError(f"{text!r}: {read[1]} times is not from 1 to {_MOST_TIMES:,}; write, for example, 3x")
    span = Duration.parse(read[3])
    if span == 0:
        raise ValueError(f"{text!r} takes no time; write how long it is, for example 60s")
    return Window(begins, span, times.limit_denominator(1_000_000))


def _begins(text: str) -> datetime | time:
    if "-" not in text:
        return time.fromisoformat(text)
    return datetime.fromisoformat(text)


def _instant(at: datetime, place: ZoneInfo) -> int:
    """Without an offset, it is a moment on the clock of the place."""
    known = at if at.tzinfo is not None else at.replace(tzinfo=place)
    return round((known - datetime(1970, 1, 1, tzinfo=UTC)) / timedelta(microseconds=1)) * 1000
