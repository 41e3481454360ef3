"""Where the program begins: it loads the command line, and may be stopped while it does."""

import sys


def main() -> None:
    try:
        from vestigo.cli.app import main as run

        run()
    except KeyboardInterrupt:
        print("vestigo: stopped", file=sys.stderr)
        raise SystemExit(130) from None
