"""Exchanges lines with a child process, so that neither side waits for ever."""

import contextlib
import os
import re
import selectors
import signal
import subprocess
import tempfile
import time
from types import TracebackType
from typing import Self

from vestigo.errors import InputError
from vestigo.study.drive.answers import Stopped

_CHUNK = 1 << 16
_LONGEST_LINE = 64 << 20
_SECONDS_TO_END = 2.0
_ERROR = re.compile(r"Exception in thread |[\w.]*(?:Error|Exception)\b")
"""How the line begins in which languages say what went wrong."""


class Pipes:
    """Lines to and from a command. What it writes to standard error is kept, to say why it ended."""

    def __init__(self, words: list[str], patience_seconds: float) -> None:
        """Starts the command. Raises InputError if that fails."""
        self._patience = patience_seconds
        self._errors = tempfile.TemporaryFile()  # noqa: SIM115  # closed by __exit__
        try:
            self._process = subprocess.Popen(
                words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self._errors, start_new_session=True
            )
        except OSError as error:
            self._errors.close()
            raise InputError(f"command: {words[0]} cannot be started: {error.strerror}; check its name") from None
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._in, self._out = self._process.stdin.fileno(), self._process.stdout.fileno()
        os.set_blocking(self._in, False)
        os.set_blocking(self._out, False)
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._out, selectors.EVENT_READ)
        self._unsent, self._came = bytearray(), bytearray()
        self._searched = 0

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
        try:
            status = self._process.wait(_SECONDS_TO_END)
        except subprocess.TimeoutExpired:
            return "the cache closed its standard output"
        how = f"signal {-status}" if status < 0 else f"status {status}"
        self._errors.seek(0)
        lines = [line.strip() for line in self._errors.read().decode(errors="replace").split("\n") if line.strip()]
        last = next((line for line in reversed(lines) if _ERROR.match(line)), lines[-1] if lines else "")
        return f"the cache ended with {how}{f': {last[:200]}' if last else ''}"

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, _: BaseException | None, __: TracebackType | None) -> None:
        """Lets the command end by itself. If it does not, or if we are interrupted, ends it with all that it
        started.
        """
        self._selector.close()
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._process.stdin.close()
        self._process.stdout.close()
        try:
            self._process.wait(_SECONDS_TO_END if kind is None else 0)
        except subprocess.TimeoutExpired:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()
        self._errors.close()
