"""The time of a trace, for caches that ask what time it is."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta

from vestigo.arguments import positive, shown
from vestigo.errors import InputError, RulesError
from vestigo.units import SECOND


class Clock:
    """Shows the time of the current event. Give its methods to a cache in place of those of `time`.

    `time` counts from 1970, as the trace does; `monotonic` and `perf_counter` count from the trace's first event.

    >>> clock = Clock()
    >>> clock.move(1_500_000_000)
    >>> clock.time(), clock.monotonic_ns()
    (1.5, 1500000000)
    """

    def __init__(self) -> None:
        self._begin_ns = 0
        self._now_ns = 0

    def time(self) -> float:
        return self._now_ns / SECOND

    def time_ns(self) -> int:
        return self._now_ns

    def monotonic(self) -> float:
        return (self._now_ns - self._begin_ns) / SECOND

    def monotonic_ns(self) -> int:
        return self._now_ns - self._begin_ns

    perf_counter, perf_counter_ns = monotonic, monotonic_ns

    def move(self, at_ns: int) -> None:
        """Moves to the moment of an event."""
        self._now_ns = at_ns

    @contextmanager
    def running(self, begin_ns: int) -> Iterator[None]:
        """In effect while a trace that begins at this moment is driven."""
        self._begin_ns = self._now_ns = begin_ns
        yield


class PatchedClock(Clock):
    """The standard library's clocks (`time`, `datetime`) show the time of the current event too. They count whole
    microseconds.

    Needs the extra `drive`: the package freezegun.
    """

    @contextmanager
    def running(self, begin_ns: int) -> Iterator[None]:
        try:
            from freezegun import freeze_time
        except ModuleNotFoundError:
            raise InputError(
                'clock = "patched" needs the package freezegun; install it: pip install "vestigo-replay[drive]"'
            ) from None
        whole_us = begin_ns // 1000
        with super().running(begin_ns), freeze_time(datetime.fromtimestamp(0, UTC)) as frozen:
            frozen.tick(timedelta(microseconds=whole_us))
            self._tick, self._us = frozen.tick, whole_us
            yield

    def move(self, at_ns: int) -> None:
        super().move(at_ns)
        us = at_ns // 1000
        if us != self._us:
            self._tick(timedelta(microseconds=us - self._us))
            self._us = us


class FastClock(Clock):
    """Real time, but faster: events come at their moments, and the cache uses the real clocks."""

    def __init__(self, speed: float) -> None:
        super().__init__()
        self._speed = positive("speed", speed)

    @contextmanager
    def running(self, begin_ns: int) -> Iterator[None]:
        with super().running(begin_ns):
            self._real_begin = time.perf_counter()
            yield

    def move(self, at_ns: int) -> None:
        super().move(at_ns)
        due = self._real_begin + self.monotonic() / self._speed
        while (left := due - time.perf_counter()) > 0:
            time.sleep(left)


def clock_of(clock: Clock | str | None, speed: float | None) -> Clock:
    """The clock that a call asks for. Raises RulesError."""
    if speed is not None:
        if clock is not None:
            raise RulesError("speed: real time goes on, so no clock can be given besides; leave one out")
        return FastClock(speed)
    if clock is None:
        return Clock()
    if isinstance(clock, str) and clock == "patched":
        return PatchedClock()
    if not isinstance(clock, Clock):
        raise RulesError(f'clock: {shown(clock)} is not a Clock; give vestigo.Clock(), "patched", or leave it out')
    return clock
