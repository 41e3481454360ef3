"""Writes events to files in its own thread. The buffer in front of it is bounded, and putting an event never waits."""

import os
import threading
import weakref
from collections import deque
from collections.abc import Callable
from json.encoder import encode_basestring_ascii as quoted
from pathlib import Path

from vestigo.recording.parts import Parts

Event = tuple[
    int, str, str, str | int, int | None, int | None, bool | None, str | int | None, str | None, str
]  # at, op, lookup, key, size, cost, found, version, scope, node

_FLAGS = {True: "true", False: "false"}
_CHUNK = 4_096  # events encoded and written at once


class Writer:
    """Encodes events and appends them to `Parts`."""

    def __init__(
        self, folder: Path, buffer: int, rotate_at: int, flush_seconds: float, hashed: Callable[[object], str] | None
    ) -> None:
        self.folder = folder
        self.written = 0
        self.dropped = 0
        self._buffer_size, self._flush_seconds = buffer, flush_seconds
        self._hashed = hashed
        self._waiting: deque[Event] = deque()
        self._parts = Parts(folder, rotate_at)
        self._start()
        ref = weakref.ref(self)

        def after_fork() -> None:
            if (there := ref()) is not None:
                there._go_on_in_child()

        os.register_at_fork(after_in_child=after_fork)

    def put(self, event: Event) -> None:
        """Takes an event, or drops it if the buffer is full or closed."""
        if len(self._waiting) < self._buffer_size and not self._closed:
            self._waiting.append(event)
        else:
            with self._counting:
                self.dropped += 1

    def flush(self) -> None:
        with self._writing:
            self._write_waiting()

    def close(self) -> None:
        self._closed = True
        self._wake.set()
        if self._thread is not threading.current_thread() and self._thread.is_alive():
            self._thread.join()

    def __del__(self) -> None:
        """Writes what waits, if nobody has closed it."""
        if not getattr(self, "_closed", True):  # it may not have been made at all
            self._closed = True
            self._wake.set()
            with self._writing:
                self._write_waiting()
            self._parts.close()

    def _start(self) -> None:
        self._closed = False
        self._counting, self._writing, self._wake = threading.Lock(), threading.Lock(), threading.Event()
        self._thread = threading.Thread(target=_run, args=(weakref.ref(self), self._wake), name="vestigo", daemon=True)
        self._thread.start()

    def _go_on_in_child(self) -> None:
        """Begins anew after a fork: waiting events are the parent's, and the child has no thread yet. A closed writer
        stays closed.
        """
        self._waiting.clear()
        self.written = self.dropped = 0
        self._parts.close()  # the child's copy
        if self._closed:
            self._counting, self._writing = threading.Lock(), threading.Lock()
            return
        try:
            self._parts.begin()
            self._start()
        except OSError:
            self._closed = True

    def _write_waiting(self) -> None:
        """Writes all events that wait now. The caller holds the lock."""
        left = len(self._waiting)
        while left > 0:
            count = min(left, _CHUNK)
            left -= count
            events = [self._waiting.popleft() for _ in range(count)]
            lines = [line for line in map(self._line, events) if line is not None]
            done = len(lines) if self._parts.append("".join(lines).encode()) else 0
            self.written += done
            if done < count:
                with self._counting:
                    self.dropped += count - done

    def _line(self, event: Event) -> str | None:
        at, op, lookup, key, size, cost, found, version, scope, node = event
        hashed = self._hashed
        if hashed is not None:
            node, scope = hashed(node), None if scope is None else hashed(scope)
        try:
            text = key if hashed is None and type(key) is str else str(key) if hashed is None else hashed(key)
            head = f'{{"at": {at:d}, "op": "{op}", "lookup": {quoted(lookup)}, "key": {quoted(text)}'
            rest = f', "node": {quoted(node)}' if size is None else f', "node": {quoted(node)}, "size": {size:d}'
            if found is not None:
                rest += f', "cost": {cost:d}, "found": {_FLAGS[found]}'
            if version is not None:
                rest += f', "version": {quoted(str(version) if hashed is None else hashed(version))}'
            if scope is not None:
                rest += f', "scope": {quoted(scope)}'
        except Exception:  # a key, size or version is of an impossible kind; the thread goes on
            return None
        return f"{head}{rest}}}\n"


def _run(writer: "weakref.ref[Writer]", wake: threading.Event) -> None:
    """Writes until the writer is closed or gone."""
    while (there := writer()) is not None:
        closed = there._closed
        there.flush()
        if closed:
            there._parts.close()
            return
        seconds = there._flush_seconds
        del there
        wake.wait(seconds)
