"""Where the program begins: it loads the command line, and may be stopped while it does."""

import sys
from typing import Any


def main() -> None:
    """Ctrl-C within an import can come out as another error: the importing module fails in its own way. So whatever
    comes out after Ctrl-C means that the user has stopped the program.
    """
    asked = False

    def stop(*_: Any) -> None:
        nonlocal asked
        asked = True
        raise KeyboardInterrupt

    try:
        import signal

        if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
            signal.signal(signal.SIGINT, stop)
        from vestigo.cli.app import main as run

        run()
    except KeyboardInterrupt:
        _end()
    except Exception:
        if not asked:
            raise
        _end()


def _end() -> None:
    from vestigo.cli.stopping import has_been_said

    has_been_said()
    print("vestigo: stopped", file=sys.stderr)
    raise SystemExit(130) from None
