"""Exchanges lines with a child process, so that neither side waits for ever."""

import contextlib
import os
import re
import selectors
import signal
import subprocess
import threading
import time
from types import TracebackType
from typing import IO, Any, Self

from vestigo.errors import InputError
from vestigo.explaining.drive.answers import Stopped

_CHUNK = 1 << 16
_KEPT_BYTES = 1 << 16
"""Of what the command writes to standard error."""
_LOOK = os.WEXITED | os.WNOHANG | os.WNOWAIT
_SECONDS_BETWEEN_LOOKS = 0.01
_LONGEST_LINE = 64 << 20
_SECONDS_TO_END = 2.0
_ERROR = re.compile(r"Exception in thread |[\w.]*(?:Error|Exception)\b")
"""How the line begins in which languages say what went wrong."""


class Pipes:
    """Lines to and from a command. What it writes to standard error is kept, to say why it ended."""

    def __init__(self, words: list[str], patience_seconds: float) -> None:
        """Starts the command. Raises InputError if that fails."""
        self._patience = patience_seconds
        pipes: dict[str, Any] = dict.fromkeys(("stdin", "stdout", "stderr"), subprocess.PIPE)
        try:
            self._process = subprocess.Popen(words, start_new_session=True, **pipes)
        except OSError as error:
            raise InputError(f"command: {words[0]} cannot be started: {error.strerror}; check its name") from None
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        assert self._process.stderr is not None
        self._errors = _LastBytes(self._process.stderr)
        self._in, self._out = self._process.stdin.fileno(), self._process.stdout.fileno()
        os.set_blocking(self._in, False)
        os.set_blocking(self._out, False)
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._out, selectors.EVENT_READ)
        self._unsent, self._came = bytearray(), bytearray()
        self._searched = 0

    @property
    def process(self) -> int:
        """The number of the command's process."""
        return self._process.pid

    def send(self, line: str) -> None:
        """Takes a line to write. As much as there is room for is written at once, the rest while answers are
        awaited.
        """
        self._unsent += line.encode() + b"\n"
        self._write()

    def receive(self) -> bytes:
        """The next line. Raises Stopped if none comes."""
        until = time.monotonic() + self._patience
        while (end := self._came.find(b"\n", self._searched)) < 0:
            self._searched = len(self._came)
            if len(self._came) > _LONGEST_LINE:
                raise Stopped(0, f"the cache wrote a line of more than {_LONGEST_LINE >> 20} MiB")
            self._pump(until - time.monotonic())
        line = bytes(self._came[:end])
        del self._came[: end + 1]
        self._searched = 0
        return line

    def _pump(self, seconds: float) -> None:
        """Waits until something can be read or written, and does that."""
        if seconds <= 0:
            raise Stopped(0, f"the cache gave no answer in {self._patience:g} s")
        ready = {key.fd for key, _ in self._selector.select(seconds)}
        if self._in in ready:
            self._write()
        if self._out in ready:
            came = os.read(self._out, _CHUNK)
            if not came:
                raise Stopped(0, self._how_it_ended())
            self._came += came

    def _write(self) -> None:
        with contextlib.suppress(BlockingIOError, BrokenPipeError):  # reading finds out that it has ended
            while self._unsent:
                del self._unsent[: os.write(self._in, self._unsent[:_CHUNK])]
        waits = self._in in self._selector.get_map()
        if self._unsent and not waits:
            self._selector.register(self._in, selectors.EVENT_WRITE)
        elif waits and not self._unsent:
            self._selector.unregister(self._in)

    def _how_it_ended(self) -> str:
        if not self._has_ended(_SECONDS_TO_END):
            return "the cache closed its standard output"
        self._end_all()
        status = self._process.returncode
        how = f"signal {-status}" if status < 0 else f"status {status}"
        lines = [line.strip() for line in self._errors.text().split("\n") if line.strip()]
        last = next((line for line in reversed(lines) if _ERROR.match(line)), lines[-1] if lines else "")
        return f"the cache ended with {how}{f': {last[:200]}' if last else ''}"

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, _: BaseException | None, __: TracebackType | None) -> None:
        """Lets the command end by itself, unless we are interrupted. Then ends it and all that it started."""
        self._selector.close()
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._process.stdin.close()
        self._process.stdout.close()
        self._has_ended(_SECONDS_TO_END if kind is None else 0)
        self._end_all()

    def _has_ended(self, seconds: float) -> bool:
        """Whether the command ends within this time. It keeps its number, so that its group can be found."""
        until = time.monotonic() + seconds
        while self._process.returncode is None and not os.waitid(os.P_PID, self._process.pid, _LOOK):
            if time.monotonic() > until:
                return False
            time.sleep(_SECONDS_BETWEEN_LOOKS)
        return True

    def _end_all(self) -> None:
        """Ends the command with all that it started."""
        if self._process.returncode is None:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()
        self._errors.close()


class _LastBytes:
    """Reads a stream in a thread, so that nobody who writes to it waits, and keeps what came last."""

    def __init__(self, stream: IO[bytes]) -> None:
        self._stream, self._last = stream, b""
        self._thread = threading.Thread(target=self._read, daemon=True)
        self._thread.start()

    def _read(self) -> None:
        while part := os.read(self._stream.fileno(), _CHUNK):
            self._last = (self._last + part)[-_KEPT_BYTES:]

    def text(self) -> str:
        return self._last.decode(errors="replace")

    def close(self) -> None:
        """Waits until everything has come. What left the group of the command may still hold the stream."""
        self._thread.join(_SECONDS_TO_END)
        if not self._thread.is_alive():
            self._stream.close()
