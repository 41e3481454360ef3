"""Where the program begins: it loads the command line, and may be stopped while it does.

It imports nothing itself before it is ready for Ctrl-C.
"""


def main() -> None:
    """Ctrl-C within an import can come out as another error: the importing module fails in its own way. So whatever
    comes out after Ctrl-C means that the user has stopped the program.
    """
    is_stopping = False

    def stop(*_: object) -> None:
        nonlocal is_stopping
        is_stopping = True
        raise KeyboardInterrupt

    try:
        import signal
        import sys

        sys.unraisablehook = _unraisable
        if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
            signal.signal(signal.SIGINT, stop)
        _leave(_status())
    except KeyboardInterrupt:
        _leave(130, "stopped")
    except MemoryError:
        _leave(2, "memory ran out; use a machine with more")
    except Exception:
        if not is_stopping:
            raise
        _leave(130, "stopped")


def _unraisable(what: object) -> None:
    """Ctrl-C where Python cannot raise it, as in a callback of an import: it would be lost, with a traceback."""
    import sys

    if getattr(what, "exc_type", None) is KeyboardInterrupt:
        _leave(130, "stopped")
    sys.__unraisablehook__(what)  # type: ignore[arg-type]


def _status() -> int:
    """Runs the command line, unless nobody could read what it prints."""
    import os
    import sys

    if sys.stderr is None:  # closed: messages must not go to the results
        sys.stderr = open(os.devnull, "w")  # noqa: SIM115, PTH123
    if sys.stdout is None:
        _leave(2, "standard output is closed, so there is nowhere to print; send it to a file, or to /dev/null")
    os.environ["MPLBACKEND"] = "agg"  # figures go to files; those of a desktop's windows belong to one thread
    from vestigo.cli.app import main as run

    try:
        run()
    except SystemExit as ended:
        return ended.code if isinstance(ended.code, int) else 0
    return 0


def _leave(status: int, message: str = "") -> None:
    """Ends the process at once. Everything is written and closed by now, and what Python and the libraries below do at
    their end can hang: Arrow waits for ever for tasks of a file that was refused while it was read.
    """
    import sys

    from vestigo.cli.stopping import end_now

    if message:
        print(f"vestigo: {message}", file=sys.stderr)
    end_now(status)
