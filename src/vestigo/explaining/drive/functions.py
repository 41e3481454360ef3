"""Drives a cache in Python event by event, through the functions with which a program asks and changes it."""

import itertools
import os
import signal
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from types import FrameType
from typing import Protocol

import numpy as np

from vestigo.arguments import problem_of_function
from vestigo.errors import InputError, RulesError
from vestigo.explaining.drive.answers import NOTHING_GIVEN, Given, Stopped
from vestigo.explaining.drive.clock import Clock, PatchedClock
from vestigo.explaining.drive.offered import Offered, OriginValue, stand_in_bytes
from vestigo.explaining.drive.scales import Scales
from vestigo.trace import Op, Trace
from vestigo.trace.columns import MISSING
from vestigo.trace.trace import LAST_KEYED


class Load(Protocol):
    """Asks the origin for the key that is read: an `OriginValue`, or None for a null."""

    def __call__(self) -> OriginValue | None: ...


_CALLED_WITH = {
    "read": ("lookup", "key", "load"),
    "write": ("lookup", "key", "value"),
    "remove": ("lookup", "key"),
    "clear": ("lookup",),
    "restart": (),
    "make": ("node",),
}
_NAMES = ("read", "write", "remove", "clear", "restart")
_EVENTS = 1 << 11
"""At one time. What they take besides the cache is garbage of the same process, in which entries of the cache then lie
unseen, so they are few.
"""
_drives = itertools.count(1)
_CHANGES = (Op.WRITE, Op.REMOVE)
_FILLED = b"v"
_ALL = -2
"""In place of a node: one cache for all of them."""


@dataclass(frozen=True)
class Functions:
    """The functions of a cache: how it is asked, and what happens to it."""

    read: Callable[[str, object, Load], object]
    write: Callable[[str, object, OriginValue], object] | None = None
    remove: Callable[[str, object], object] | None = None
    clear: Callable[[str | None], object] | None = None
    restart: Callable[[], object] | None = None

    @classmethod
    def of(cls, cache: object) -> "Functions":
        """The methods of an object. Raises RulesError."""
        found = {name: getattr(cache, name, None) for name in _NAMES}
        if not callable(found["read"]):
            raise RulesError(f"make: gave a {type(cache).__name__}, which has no read(lookup, key, load)")
        methods = {name: one for name, one in found.items() if callable(one)}
        check_functions(**methods)
        return cls(**methods)

    def can(self, name: str) -> bool:
        """Whether the cache has this function."""
        return getattr(self, name) is not None


def check_functions(**given: object) -> None:
    """Raises RulesError for functions that cannot be called as events are told to a cache, or that are coroutines."""
    found = {name: problem_of_function(one, name, _CALLED_WITH[name]) for name, one in given.items() if one is not None}
    problems = [f"{name}: {problem}" for name, problem in found.items() if problem is not None]
    if problems:
        raise RulesError(problems)


Make = Callable[[str | None], object]
"""Makes the cache of a node."""


class Makes:
    """The caches of nodes. Each is made when its node first appears, and made anew at a restart."""

    def __init__(self, make: Make, trace: Trace) -> None:
        """Makes the first cache at once, to see which functions it has. Raises InputError if it cannot be asked."""
        self._make, self._nodes = make, trace.nodes
        self._first_node = int(trace.node[0]) if len(trace) else MISSING
        self._first: Functions | None = self._new(self._first_node)
        self._has = {name for name in _NAMES if self._first.can(name)} | {"restart"}

    def can(self, name: str) -> bool:
        return name in self._has

    def of(self, node: int) -> Functions:
        """A new cache."""
        if node == self._first_node and self._first is not None:
            first, self._first = self._first, None
            return first
        return self._new(node)

    def _new(self, node: int) -> Functions:
        return Functions.of(self._make(self._nodes[node] if node >= 0 else None))


def call(offered: Offered, cache: Functions | Makes, clock: Clock, patience_seconds: float, contents: bool) -> Given:
    """Drives one cache for all nodes, or the caches that a function makes for each node. With `contents`, values have
    as many bytes as the trace gives.
    """
    caller = _Caller(offered, cache, clock, contents)
    begin_ns = int(offered.trace.at[0]) if len(offered.trace) else 0
    try:
        with clock.running(begin_ns), _watched(caller, patience_seconds):
            caller.run()
    except Stopped as stopped:
        return caller.given(stopped.row, f"{offered.said(stopped.row)}: {stopped.what}")
    return caller.given(len(offered.trace))


class _Origin:
    """The origin, which gives what is true at the current event. Its `load` is the same function at every read."""

    def __init__(self, contents: bool) -> None:
        self.drive, self.contents = next(_drives), contents
        self.row, self.lookup, self.key, self.size = 0, "", None, 0
        self.null = False
        self.loads = 0

    def load(self) -> OriginValue | None:
        self.loads += 1
        return None if self.null else self.value()

    def value(self) -> OriginValue:
        content = _FILLED * self.size if self.contents else None
        return OriginValue(self.lookup, self.key, self.row, self.size, self.drive, content)


class _Caller:
    def __init__(self, offered: Offered, cache: Functions | Makes, clock: Clock, contents: bool) -> None:
        events = len(offered.trace)
        self.value, self.took_ns = np.full(events, NOTHING_GIVEN), np.full(events, MISSING)
        self.loads = np.full(events, 0, np.int32)  # not zeros, which take memory only when they are written to
        self.asked: int | None = None
        """The event that the cache works at now."""
        self._offered, self._clock, self._origin = offered, clock, _Origin(contents)
        self._now = time.perf_counter_ns  # here, because a patched clock replaces it wherever it finds it
        self._scales = Scales(os.getpid(), events)
        self._scales.weigh(0)  # before time goes on
        self._makes = None if isinstance(cache, Functions) else cache
        self._caches = {_ALL: cache} if isinstance(cache, Functions) else {}
        self._nulls: dict[tuple[int, int], int] = {}
        """By node and key: the last event at which the cache was told that there is nothing."""

    def run(self) -> None:
        """Raises Stopped."""
        events = len(self._offered.trace)
        for begin in range(0, events, _EVENTS):
            try:
                self._run(begin, begin + _EVENTS)
            except _Hung:
                raise Stopped(self._origin.row, "the cache did not come back") from None
            except (Stopped, InputError):
                raise
            except Exception as error:
                raise Stopped(self._origin.row, f"the cache raised {_said(error)}") from error
            if self._scales.is_due(end := min(begin + _EVENTS, events)):
                self._scales.weigh(end)

    def given(self, events: int, stopped: str | None = None) -> Given:
        """What it gave at so many events."""
        is_timed = not isinstance(self._clock, PatchedClock)  # which takes longer than many a cache
        took_ns = self.took_ns if is_timed else None
        contents = self._origin.contents
        weights, besides = self._scales.weights, stand_in_bytes(contents)
        return Given(self.value, self.loads, events, stopped, took_ns, weights, contents, besides)

    def _run(self, begin: int, end: int) -> None:
        offered, trace, origin, move = self._offered, self._offered.trace, self._origin, self._clock.move
        lookups, keys, load, is_one, now = trace.lookups, trace.keys, origin.load, self._makes is None, self._now
        columns = (trace.at, trace.op, trace.lookup, trace.key, trace.node, trace.force, offered.null, offered.size)
        events = zip(*(column[begin:end].tolist() for column in columns), strict=True)
        for row, (at, op, lookup_id, key_id, node, force, null, size) in enumerate(events, begin):
            self.asked = None
            move(at)
            self.asked = origin.row = row
            if op > LAST_KEYED:
                self._empty(op, lookups[lookup_id] if lookup_id >= 0 else None, node)
                continue
            place = _ALL if is_one else node
            cache = self._caches[_ALL] if is_one else self._of_node(node)
            lookup, key = lookups[lookup_id], keys[key_id]
            origin.lookup, origin.key, origin.size, origin.null, origin.loads = lookup, key, size, null, 0
            if op in _CHANGES:
                self._change(cache, (place, key_id))
                continue
            if (force or op == Op.DROP) and cache.remove is not None:
                cache.remove(lookup, key)
            if op == Op.DROP:
                continue
            begun = now()
            answer = cache.read(lookup, key, load)
            self.took_ns[row] = now() - begun
            self.loads[row] = origin.loads
            if origin.loads and null:
                self._nulls[place, key_id] = row
            if op == Op.READ:
                self.value[row] = self._event_of(answer, self._nulls.get((place, key_id)))

    def _change(self, cache: Functions, place: tuple[int, int]) -> None:
        origin = self._origin
        if origin.null:
            if cache.remove is not None:
                cache.remove(origin.lookup, origin.key)
                self._nulls[place] = origin.row  # a cache may keep this object
        elif cache.write is not None:
            cache.write(origin.lookup, origin.key, origin.value())

    def _event_of(self, answer: object, last_null: int | None) -> int:
        """The event at which the origin gave the value that the cache answered with. Raises Stopped."""
        origin = self._origin
        if answer is None:
            if origin.loads and not origin.null:
                raise Stopped(origin.row, "the cache answered nothing, though load() had given it a value")
            if last_null is None:
                raise Stopped(origin.row, "the cache answered nothing, though it had not called load()")
            return origin.row if origin.loads else last_null
        if type(answer) is not OriginValue:
            given = f"something of type {type(answer).__name__}, which load() did not give"
            raise Stopped(origin.row, f"the cache answered with {given}; return the value itself, or None for a null")
        if answer.drive != origin.drive:
            raise Stopped(origin.row, "the cache answered with a value of an earlier drive; empty it before each one")
        if answer.lookup != origin.lookup or answer.key != origin.key:
            raise Stopped(origin.row, f"the cache answered with the {answer!r}: two keys share one name in it")
        return answer.event

    def _of_node(self, node: int) -> Functions:
        if node not in self._caches:
            assert self._makes is not None
            self._caches[node] = self._makes.of(node)
        return self._caches[node]

    def _empty(self, op: int, lookup: str | None, node: int) -> None:
        """Empties the cache of a node, or all of them, for a clear or a restart."""
        of_one = node >= 0 and self._makes is not None
        for place in [one for one in self._caches if one == node or not of_one]:
            cache = self._caches[place]
            if op == Op.CLEAR:
                if cache.clear is not None:
                    cache.clear(lookup)
            elif cache.restart is not None:
                cache.restart()
            elif place != _ALL:
                del self._caches[place]


class _Hung(BaseException):
    """The cache hangs. It is not an Exception, because a cache might catch that."""


@contextmanager
def _watched(caller: _Caller, patience_seconds: float) -> Iterator[None]:
    """Raises _Hung in a cache that takes longer than this for an event. It works in the main thread, where alarms
    arrive.
    """
    if threading.current_thread() is not threading.main_thread() or not hasattr(signal, "setitimer"):
        yield
        return
    last: int | None = None

    def look(_: int, __: FrameType | None) -> None:
        nonlocal last
        if last is not None and caller.asked == last:
            raise _Hung
        last = caller.asked

    before = signal.signal(signal.SIGALRM, look)
    signal.setitimer(signal.ITIMER_REAL, patience_seconds, patience_seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


def _said(error: Exception) -> str:
    """What was raised, and in which line of the user's code."""
    frames = [frame for frame in traceback.extract_tb(error.__traceback__) if frame.filename != __file__]
    where = f" ({Path(frames[-1].filename).name}, line {frames[-1].lineno})" if frames else ""
    message = str(error).splitlines()[0][:200] if str(error) else ""
    return f"{type(error).__name__}{f': {message}' if message else ''}{where}"
