"""``python -m vestigo``: the command line."""

from vestigo.cli.start import main

if __name__ == "__main__":
    main()
