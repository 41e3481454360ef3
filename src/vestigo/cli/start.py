"""Where the program begins: it loads the command line, and may be stopped while it does.

It imports nothing itself before it is ready for Ctrl-C.
"""


def main() -> None:
    """Ctrl-C within an import can come out as another error: the importing module fails in its own way. So whatever
    comes out after Ctrl-C means that the user has stopped the program.
    """
    asked = False

    def stop(*_: object) -> None:
        nonlocal asked
        asked = True
        raise KeyboardInterrupt

    try:
        import signal

        if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
            signal.signal(signal.SIGINT, stop)
        _check_streams()
        from vestigo.cli.app import main as run

        run()
    except KeyboardInterrupt:
        _end("stopped", 130)
    except MemoryError:
        _end("memory ran out; use a machine with more", 2)
    except Exception:
        if not asked:
            raise
        _end("stopped", 130)


def _check_streams() -> None:
    """Ends the program if nobody could read what it prints."""
    import os
    import sys

    if sys.stderr is None:  # closed: messages must not go to the results
        sys.stderr = open(os.devnull, "w")  # noqa: SIM115, PTH123
    if sys.stdout is None:
        _end("standard output is closed, so there is nowhere to print; send it to a file, or to /dev/null", 2)


def _end(said: str, status: int) -> None:
    import sys

    if status == 130:
        from vestigo.cli.stopping import has_been_said

        has_been_said()
    print(f"vestigo: {said}", file=sys.stderr)
    raise SystemExit(status) from None
