"""Keeps a line of the solver from stdout, where results are printed."""

import contextlib
import ctypes
import os
import sys
import tempfile
from collections.abc import Iterator
from threading import Lock

_SAYS = b"HighsMipSolverData::"
"""How the line begins that HiGHS prints in some programs, whatever its options say (seen in SciPy 1.17)."""
_one_at_a_time = Lock()


@contextlib.contextmanager
def silenced() -> Iterator[None]:
    """What the solver prints meanwhile does not reach stdout. All else does, afterwards."""
    with _one_at_a_time, tempfile.TemporaryFile() as printed:
        try:
            stdout = os.dup(1)
        except OSError:  # there is none
            yield
            return
        _flush()
        os.dup2(printed.fileno(), 1)
        try:
            yield
        finally:
            _flush()
            os.dup2(stdout, 1)
            os.close(stdout)
            printed.seek(0)
            if others := [line for line in printed if not line.startswith(_SAYS)]:
                os.write(1, b"".join(others))


def _flush() -> None:
    """Writes what C and Python have not yet written."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        sys.stdout.flush()
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).fflush(None)
