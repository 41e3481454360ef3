"""Runs ``vestigo explore`` in a process, on four hours of the demo."""

import contextlib
import json
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from http.client import HTTPConnection
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import numpy as np

import vestigo as vg
from tests.cli.calling import VESTIGO
from vestigo.demo.files import write_demo


def write_morning(folder: Path) -> tuple[Path, Path]:
    """Writes a trace, and a plan beside it."""
    trace, plan = write_demo(folder)
    morning = vg.write_trace(vg.shape.between(vg.read_trace(trace), "5h", "9h"), folder / "morning.arrow")
    return morning, plan


def write_long(folder: Path) -> Path:
    """Writes a trace that is so long that a sample answers first."""
    rng = np.random.default_rng(1)
    key = (rng.random(2_100_000) ** 3 * 20_000).astype(np.int64)
    table = {"at": np.arange(len(key)) * 1_000_000, "key": key, "version": np.arange(len(key)) // 100_000}
    return vg.write_trace(vg.read_trace(table), folder / "long.arrow")


@contextmanager
def exploring(folder: Path, *words: str) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    """Runs the page, and gives its address."""
    command = [*VESTIGO, "explore", *words]
    process = subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None and process.stderr is not None
        address = process.stdout.readline().strip()
        assert address.startswith("http://127.0.0.1:"), process.stderr.read()
        yield address, process
    finally:
        process.terminate()
        process.communicate(timeout=20)


class Client:
    """Sends the page's requests, with any headers."""

    def __init__(self, address: str) -> None:
        self.where = urlsplit(address)

    def ask(self, method: str, name: str, body: Any = None, **head: str) -> tuple[int, dict[str, str], str]:
        connection = HTTPConnection(self.where.netloc, timeout=60)
        sent = body if isinstance(body, (bytes, type(None))) else json.dumps(body).encode()
        path = name if name.startswith("/") else self.where.path + name
        with contextlib.closing(connection):
            connection.request(method, path, sent, {key.replace("_", "-"): text for key, text in head.items()})
            answer = connection.getresponse()
            text = answer.read().decode()
        return answer.status, {key.lower(): value for key, value in answer.getheaders()}, text

    def replay(self, tab: str = "t", around: str = "", **settings: str) -> list[dict[str, Any]]:
        asked = {key.replace("__", "."): text for key, text in settings.items()}
        return self.told("replay", {"tab": tab, "settings": asked, "around": around})

    def told(self, name: str, body: Any) -> list[dict[str, Any]]:
        status, _, text = self.ask("POST", name, body)
        assert status == 200
        return [json.loads(line) for line in text.splitlines()]

    def best(self, name: str, limits: dict[str, str]) -> list[dict[str, Any]]:
        """What is answered once the search is done."""
        told = self.told(name, {"tab": "t", "settings": limits, "around": ""})
        return [one for one in told if one["kind"] != "searching"]


def kinds(answers: Sequence[dict[str, Any]]) -> list[str]:
    return [one["kind"] for one in answers]
