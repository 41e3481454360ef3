"""Ctrl-C ends every command within a second, whatever native code is at work."""

import os
import signal
import socket
import sys
import threading
import time

from vestigo.files import remove_unfinished

_GRACE_SECONDS = 0.7

_said = threading.Event()
_listening = threading.Event()


def end_soon_when_interrupted() -> None:
    """Python hears of a signal when native code gives way, and waits for its threads, which may take longer than a
    user does. So a thread hears of it, too, and ends the process if that has not ended by itself: what is unfinished is
    removed. Only in the main thread, where signals are signals.
    """
    if _listening.is_set() or threading.current_thread() is not threading.main_thread() or sys.platform == "win32":
        return
    _listening.set()
    signals, wakeup = socket.socketpair()
    wakeup.setblocking(False)
    signal.set_wakeup_fd(wakeup.fileno(), warn_on_full_buffer=False)
    threading.Thread(target=_end, args=(signals, wakeup), daemon=True).start()
    sys.unraisablehook = _say_nothing_of_an_interrupt


def _say_nothing_of_an_interrupt(what: "sys.UnraisableHookArgs") -> None:
    """Ctrl-C may come where Python cannot raise it, and would print a traceback. The thread ends the process then."""
    if what.exc_type is not KeyboardInterrupt:
        sys.__unraisablehook__(what)


def has_been_said() -> None:
    """The user knows already why the process ends."""
    _said.set()


def _end(signals: socket.socket, wakeup: socket.socket) -> None:
    while signal.SIGINT not in signals.recv(1):
        pass
    if not _said.wait(_GRACE_SECONDS):
        sys.stderr.write("vestigo: stopped\n")
    else:
        time.sleep(0.05)  # the main thread may end the process itself
    sys.stderr.flush()
    remove_unfinished()
    wakeup.close()
    os._exit(130)
