"""Collects spans, writes their lines in a thread, and accounts for every span that came in."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from vestigo.errors import VestigoError
from vestigo.recording.accounts import Accounts
from vestigo.recording.hashing import hasher
from vestigo.recording.heard import Heard
from vestigo.recording.parts import Parts
from vestigo.trace.reading.intake import Intake
from vestigo.web.listen.lines import LineMaker
from vestigo.web.listen.otlp import Gathered
from vestigo.web.listen.selection import EVERYTHING, Selection

ENOUGH = 8_192
"""Lines are made of so many spans at once, or of all that came within `FLUSH_SECONDS`."""
FLUSH_SECONDS = 1.0
MOST_WAITING_BYTES = 64 << 20
"""Of lines that the disk has not taken yet."""
_LONGEST_REASON = 200
_OUT_OF_RANGE = "times or attributes are out of range"


class Answer(NamedTuple):
    """How many spans of a request were not accepted, and why."""

    rejected: int = 0
    why: str = ""


class RecordingEnded(Exception):
    """Nothing is written any more."""


class Recording:
    """Takes spans and turns them into lines. Another thread writes the lines, however slow the disk is.

    Whatever goes wrong with some spans is counted, said once, and costs no others. If the thread itself ends, `put`
    raises RecordingEnded.
    """

    def __init__(  # noqa: PLR0913  # options by name
        self,
        folder: Path,
        intake: Intake,
        selection: Selection = EVERYTHING,
        *,
        secret: bytes | None = None,
        rotate_at: int = 256 << 20,
        say: Callable[[str], None] = lambda _: None,
    ) -> None:
        """Makes the folder. Raises TraceError if nothing can be written there, or for a short secret."""
        self._maker = LineMaker(intake, selection, hasher(secret) if secret is not None else None)
        self.wanted = self._maker.wanted
        self.accounts = Accounts(say)
        self._parts = Parts(folder, rotate_at)
        self._filling, self._writing = threading.Lock(), threading.Lock()
        self._wake, self._is_closed = threading.Event(), False
        self._gathered: list[Gathered] = []
        self._gathered_spans = 0
        self._waiting: list[tuple[bytes, int]] = []
        self._waiting_bytes = 0
        self._cannot_write = ""
        self.failure: str | None = None
        """Why nothing is written any more, if the thread has ended before it should."""
        self._thread = threading.Thread(target=self._run, name="vestigo-listen", daemon=True)
        self._thread.start()

    @property
    def heard(self) -> Heard:
        return self.accounts.heard

    def put(self, gathered: Gathered) -> Answer:
        """Takes the spans of a request. Drops them if the disk takes nothing, or too much waits for it."""
        if self.failure is not None:
            raise RecordingEnded(self.failure)
        count = len(gathered)
        with self._filling:
            why = self._no_room()
            taken = 0 if why else count
            self.accounts.count(spans=count + gathered.refused, refused=gathered.refused, dropped=count - taken)
            if taken:
                self._gathered.append(gathered)
                self._gathered_spans += count
                if self._gathered_spans >= ENOUGH:
                    self._encode()
                    self._wake.set()
        if taken < count:
            return Answer(count + gathered.refused, f"{why}; these spans are dropped")
        return Answer(gathered.refused, _OUT_OF_RANGE if gathered.refused else "")

    def flush(self) -> None:
        """Writes the lines that wait. Only this and `close` wait for the disk."""
        with self._writing:
            with self._filling:
                self._encode()
                waiting, self._waiting = self._waiting, []
            while waiting:
                lines, events = waiting[0]
                if not self._write(lines, events):
                    break
                del waiting[0]
                with self._filling:
                    self._waiting_bytes -= len(lines)
            with self._filling:
                self._waiting = waiting + self._waiting  # what the disk did not take is tried again
                self._cannot_write = f"nothing can be written ({self._parts.why})" if waiting else ""
        if waiting:
            self.accounts.say_once(f"{self._parts.folder}: {self._cannot_write}; new spans are dropped until it can be")

    def close(self) -> None:
        """Writes the lines that wait, and ends the thread. Spans that come later are dropped and counted."""
        with self._filling:
            self._is_closed = True
        self._wake.set()
        self._thread.join()
        self.accounts.drop_what_waits()
        self._parts.close()

    def _no_room(self) -> str:
        if self._is_closed:
            return "the recording is closed"
        if self._waiting_bytes > MOST_WAITING_BYTES:
            return "too many spans wait to be written"
        return self._cannot_write

    def _run(self) -> None:
        try:
            is_closed = False
            while not is_closed:
                self._wake.wait(FLUSH_SECONDS)
                self._wake.clear()
                is_closed = self._is_closed
                self._flush_once()
        except BaseException as error:  # whatever ends this thread must be known
            self.failure = f"the thread that writes has ended: {_cause(error)}"

    def _flush_once(self) -> None:
        try:
            self.flush()
        except Exception as error:
            self.accounts.say_once(f"writing failed and goes on: {_cause(error)}")

    def _write(self, lines: bytes, events: int) -> bool:
        """Whether the lines need not be kept any longer."""
        try:
            if not self._parts.append(lines):
                return False
        except Exception as error:
            self.accounts.count(dropped=events)
            self.accounts.say_once(f"{events:,} spans are dropped, for writing them failed: {_cause(error)}")
        else:
            self.accounts.count(written=events)
        return True

    def _encode(self) -> None:
        """Turns collected spans into lines. The caller holds the lock: otherwise requests that are read at the same
        time would keep Python's lock, and the lines would never be made.
        """
        gathered, self._gathered, self._gathered_spans = self._gathered, [], 0
        if gathered:
            self._encode_all(gathered)

    def _encode_all(self, requests: list[Gathered]) -> None:
        """If spans of several requests cannot be made into lines, each half is tried alone: one sender's spans do not
        cost those of another.
        """
        together = Gathered.merged(requests)
        try:
            made = self._maker.lines(together.spans())
        except Exception as error:
            if len(requests) > 1:
                half = len(requests) // 2
                self._encode_all(requests[:half])
                self._encode_all(requests[half:])
                return
            why = f"nothing can be made of them: {_cause(error)}"
            self.accounts.count({why: len(together)})
            if not isinstance(error, VestigoError):
                self.accounts.say_once(f"spans are left out: {why}")
            return
        if made.events:
            self._waiting.append((made.content, made.events))
            self._waiting_bytes += len(made.content)
        self.accounts.count(made.left_out, not_asked_for=made.not_asked_for)


def _cause(error: BaseException) -> str:
    said = (str(error).splitlines() or [""])[0][:_LONGEST_REASON]
    return said if isinstance(error, VestigoError) else f"{type(error).__name__}: {said}"
