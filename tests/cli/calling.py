"""Calls the command line: in the test's own process, which is quick, or in a new one, as a user does."""

import contextlib
import io
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple
from unittest.mock import patch

from vestigo.cli.app import main

VESTIGO = [str(Path(sys.executable).parent / "vestigo")]


class Done(NamedTuple):
    returncode: int
    stdout: str
    stderr: str


def run(*words: str, cwd: Path, stdin: str = "") -> Done:
    """Calls it in the test's own process."""
    given, out, err = (io.TextIOWrapper(io.BytesIO(text), "utf-8") for text in (stdin.encode(), b"", b""))
    with (
        contextlib.chdir(cwd),
        patch.object(sys, "argv", ["vestigo", *words]),
        patch.object(sys, "stdin", given),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            main()
            status = 0
        except SystemExit as end:
            status = int(end.code or 0)
    return Done(status, *(_written(stream) for stream in (out, err)))


def run_apart(*words: str, cwd: Path, vestigo: list[str] = VESTIGO) -> Done:
    """Calls the installed command in a new process."""
    done = subprocess.run([*vestigo, *words], cwd=cwd, capture_output=True, text=True, timeout=300)
    return Done(done.returncode, done.stdout, done.stderr)


def lines(text: str) -> list[str]:
    return text.splitlines()


def _written(stream: io.TextIOWrapper) -> str:
    stream.seek(0)
    return stream.read()
