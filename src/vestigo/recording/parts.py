"""Files of lines in a folder, one after the other. A kill can cut only the line that is being written."""

import contextlib
import os
import time
from pathlib import Path

from vestigo.errors import TraceError


class Parts:
    """Files named `TIME-PID-NUMBER.jsonl`. A new one begins every `rotate_at` bytes. Not for several threads
    at once.
    """

    def __init__(self, folder: Path, rotate_at: int) -> None:
        """Makes the folder. Raises TraceError if nothing can be written there."""
        self.folder, self._rotate_at = folder, rotate_at
        self.why = ""
        """Why lines could not be written, the last time that this happened."""
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self.begin()
        except OSError as error:
            raise TraceError(f"{folder}: cannot be written: {error.strerror}; choose another folder") from None

    def begin(self) -> None:
        """Begins new files, as a forked child needs them. Raises OSError if no file can be made."""
        self._file, self._size, self._number = -1, 0, 0
        self._begun = time.time_ns()
        probe = self.folder / self._name()  # the first lines make the file: an empty file is not a trace
        os.close(os.open(probe, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o640))
        probe.unlink()

    def append(self, lines: bytes) -> bool:
        """Writes all of the lines or none of them. If the disk is full, what was written of them is taken back, and a
        file that would be empty is removed: it is not a trace.
        """
        try:
            if self._size >= self._rotate_at or self._file < 0:
                self._open()
            view = memoryview(lines)
            while view:
                view = view[os.write(self._file, view) :]
        except OSError as error:
            self.why = error.strerror or str(error)
            self._take_back()
            return False
        self._size += len(lines)
        return True

    def close(self) -> None:
        if self._file >= 0:  # a rotation may have failed
            with contextlib.suppress(OSError):
                os.close(self._file)
            self._file = -1

    def _take_back(self) -> None:
        if self._file < 0:  # no file could be made
            return
        with contextlib.suppress(OSError):
            os.ftruncate(self._file, self._size)
        if self._size == 0:
            self.close()
            with contextlib.suppress(OSError):
                self._path.unlink()

    def _name(self) -> str:
        return f"{self._begun}-{os.getpid()}-{self._number:04}.jsonl"

    def _open(self) -> None:
        self.close()
        self._path = self.folder / self._name()
        self._file = os.open(self._path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_APPEND, 0o640)
        self._size = 0
        self._number += 1
