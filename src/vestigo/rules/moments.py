"""Moments on the clock: times of day in a zone, and single instants."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo

from vestigo.units import SECOND, Duration

_SHOWN = '"06:00" (a time of day), "every 6h from 00:30" or "2026-03-02T06:00:00+01:00" (an instant)'
_EVERY = re.compile(r"every\s+(\S+)(?:\s+from\s+(\S+))?")
_DAY = timedelta(days=1)
_DAY_NS = 86_400 * SECOND


@dataclass(frozen=True)
class Moments:
    """Times of day, and instants in ns since the epoch. They keep the order and the words in which they were given:
    ``every 6h from 00:30`` stands for four times of day.
    """

    texts: tuple[str, ...]
    times: tuple[time, ...]
    instants: tuple[int, ...]

    @classmethod
    def read(cls, value: object) -> "Moments | None":
        """Reads a text or a list of texts. ``"never"`` means no moments. Raises ValueError.

        >>> Moments.read(["06:00", "18:30"]).times[1]
        datetime.time(18, 30)
        >>> Moments.read("every 12h from 06:30").times
        (datetime.time(6, 30), datetime.time(18, 30))
        """
        if isinstance(value, Moments):
            return value
        if value is None or (isinstance(value, str) and value == "never"):
            return None
        texts = (value,) if isinstance(value, str) else tuple(value) if isinstance(value, Sequence) else ()
        if not texts:
            raise ValueError(f"{value!r} is not a time; write {_SHOWN}, or a list of them")
        read = [one for text in texts for one in _read(text)]
        return cls(
            tuple(map(str, texts)),
            tuple(sorted({one for one in read if isinstance(one, time)})),
            tuple(sorted({one for one in read if isinstance(one, int)})),
        )

    def between(self, begin_ns: int, end_ns: int, zone: str | None) -> list[int]:
        """The moments after `begin_ns` and up to `end_ns`, ascending.

        When clocks go back, an hour comes twice, and its first time counts. When they go forward, a time that is
        skipped is taken with the offset before the change.
        """
        moments = {instant for instant in self.instants if begin_ns < instant <= end_ns}
        if self.times:
            place = ZoneInfo(zone or "UTC")
            for day in days_between(begin_ns, end_ns, place):
                of_day = [instant_of(day, one, place) for one in self.times]
                moments |= {instant for instant in of_day if begin_ns < instant <= end_ns}
        return sorted(moments)

    def __str__(self) -> str:
        return ", ".join(self.texts)


def read_zone(value: object) -> str | None:
    """Checks the name of a time zone. Raises ValueError."""
    if value is None or (isinstance(value, str) and _is_zone(value)):
        return value
    raise ValueError(f'{value!r} is not a time zone; write one such as "Europe/Oslo" or "UTC"')


@cache
def _is_zone(name: str) -> bool:
    try:
        ZoneInfo(name)
    except (KeyError, ValueError, OSError):  # no such zone, no name at all, or a folder of zones
        return False
    return True


def _read(text: object) -> Iterator[time | int]:
    if isinstance(text, str) and (every := _EVERY.fullmatch(text.strip())):
        yield from _times_of_day(text, *every.groups())
    else:
        yield _one(text)


def _times_of_day(text: str, every: str, begin: str | None) -> Iterator[time]:
    """The times of a day that are `every` so long apart."""
    period = Duration.parse(every)
    if period < SECOND or _DAY_NS % period:
        raise ValueError(f'{text!r} is not at the same times each day; write a part of a day, such as "every 10m"')
    first = _one(begin) if begin is not None else time()
    if not isinstance(first, time):
        raise ValueError(f'{text!r} does not begin at a time of day; write one, such as "every 10m from 00:03"')
    for step in range(_DAY_NS // period):
        at = datetime.combine(date.min, first) + timedelta(microseconds=step * period // 1000)
        yield at.time()


def _one(text: object) -> time | int:
    try:
        if not isinstance(text, str):
            raise ValueError
        if "T" in text:
            at = datetime.fromisoformat(text)
            if at.tzinfo is None:
                raise ValueError
            return round((at - datetime(1970, 1, 1, tzinfo=UTC)) / timedelta(microseconds=1)) * 1000
        of_day = time.fromisoformat(text)
        if of_day.tzinfo is not None:
            raise ValueError
        return of_day
    except ValueError:
        raise ValueError(f"{text!r} is not a time; write {_SHOWN}") from None


def days_between(begin_ns: int, end_ns: int, place: ZoneInfo) -> Iterator[date]:
    """The days that have some time between two moments, and the day before them."""
    day = datetime.fromtimestamp(begin_ns // SECOND, place).date() - _DAY
    last = datetime.fromtimestamp(end_ns // SECOND, place).date()
    while day <= last:
        yield day
        day += _DAY


def instant_of(day: date, of_day: time, place: ZoneInfo) -> int:
    """A time of day on one day, in ns since the epoch."""
    at = datetime.combine(day, of_day, place).astimezone(UTC)
    return int(at.timestamp()) * SECOND + at.microsecond * 1000
