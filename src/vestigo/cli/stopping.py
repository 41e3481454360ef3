"""Ctrl-C ends every command within a second, whatever native code is at work."""

import contextlib
import os
import signal
import socket
import sys
import threading
import time
from typing import NoReturn

from vestigo.files import remove_unfinished

_GRACE_SECONDS = 0.7

_said = threading.Event()
_listening = threading.Event()


def end_soon_when_interrupted() -> None:
    """Starts a thread that ends the process soon after Ctrl-C. Python itself sees a signal only when native code
    returns, and then waits for its threads, which can take longer than a user is ready to wait. Before the thread ends
    the process, it removes unfinished files. Call this in the main thread, because only that receives signals.
    """
    if _listening.is_set() or threading.current_thread() is not threading.main_thread() or sys.platform == "win32":
        return
    _listening.set()
    signals, wakeup = socket.socketpair()
    wakeup.setblocking(False)
    signal.set_wakeup_fd(wakeup.fileno(), warn_on_full_buffer=False)
    threading.Thread(target=_end, args=(signals, wakeup), daemon=True).start()
    sys.unraisablehook = _say_nothing_of_an_interrupt


def end_now(status: int) -> NoReturn:
    """Ends the process without waiting for anything."""
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError, ValueError, AttributeError):  # it is full or closed
            stream.flush()
    remove_unfinished()
    os._exit(status)


def end_within(seconds: float, status: int) -> None:
    """Ends the process after this time, if it has not ended by itself."""
    timer = threading.Timer(seconds, end_now, (status,))
    timer.daemon = True
    timer.start()


def _say_nothing_of_an_interrupt(what: "sys.UnraisableHookArgs") -> None:
    """Hides the traceback of a Ctrl-C that comes where Python cannot raise it. The thread ends the process then."""
    if what.exc_type is not KeyboardInterrupt:
        sys.__unraisablehook__(what)


def has_been_said() -> None:
    """Notes that the user already knows why the process ends."""
    _said.set()


def _end(signals: socket.socket, wakeup: socket.socket) -> None:
    while signal.SIGINT not in signals.recv(1):
        pass
    if not _said.wait(_GRACE_SECONDS):
        sys.stderr.write("vestigo: stopped\n")
    else:
        time.sleep(0.05)  # gives the main thread time to end the process itself
    sys.stderr.flush()
    remove_unfinished()
    wakeup.close()
    os._exit(130)
