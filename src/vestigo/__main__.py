"""``python -m vestigo``: the command line."""

from vestigo.cli.app import main

if __name__ == "__main__":
    main()
