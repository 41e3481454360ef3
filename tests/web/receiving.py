"""A receiver for tests. It is asked without a socket, or run as a user runs it."""

import asyncio
import contextlib
import http.client
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest

from tests.cli.calling import VESTIGO
from vestigo.trace import Intake
from vestigo.web.listen.otlp import PROTOBUF
from vestigo.web.listen.receiver import PATH, receiver
from vestigo.web.listen.recording import Recording

BEGUN = 1_773_734_400_000_000_000


class Answered(NamedTuple):
    status: int
    headers: dict[str, str]
    body: bytes


def ask(
    app: Any, body: bytes, kind: str = PROTOBUF, path: str = PATH, method: str = "POST", **headers: str
) -> Answered:
    """Sends one request in the form in which a server hands it over, with its body in pieces."""
    sent: list[dict[str, Any]] = []
    pieces = [body[begin : begin + 1000] for begin in range(0, len(body), 1000)] or [b""]
    waiting = [{"type": "http.request", "body": piece, "more_body": True} for piece in pieces]
    waiting[-1]["more_body"] = False

    async def receive() -> dict[str, Any]:
        return waiting.pop(0) if waiting else {"type": "http.disconnect"}

    async def send(message: dict[str, Any]) -> None:
        sent.append(message)

    named = {"content-type": kind, **{name.replace("_", "-"): text for name, text in headers.items()}}
    scope = {
        "type": "http",
        "method": method,
        "path": path,
        "raw_path": path.encode(),
        "query_string": b"",
        "root_path": "",
        "headers": [(name.encode(), text.encode()) for name, text in named.items()],
    }
    asyncio.run(app(scope, receive, send))
    answered = {name.decode(): text.decode() for name, text in sent[0]["headers"]}
    return Answered(sent[0]["status"], answered, b"".join(one.get("body", b"") for one in sent[1:]))


def request_of(*spans: dict[str, Any], instance: str = "quay-1", scope: str = "desk") -> bytes:
    """A request in protobuf. A span has a name, `at` and `took` in ms, a kind, whether it failed, and attributes."""
    request = ExportTraceServiceRequest()
    group = request.resource_spans.add()
    _add(group.resource, {"service.instance.id": instance})
    scoped = group.scope_spans.add()
    scoped.scope.name = scope
    for number, given in enumerate(spans):
        own = {"name": "load", "at": number, "took": 1, "kind": 3, "failed": False, "trace": 1}
        fields = {name: given.get(name, value) for name, value in own.items()}
        span = scoped.spans.add()
        span.name, span.kind = fields["name"], fields["kind"]
        span.trace_id, span.span_id = fields["trace"].to_bytes(16, "big"), (number + 1).to_bytes(8, "big")
        span.start_time_unix_nano = BEGUN + fields["at"] * 1_000_000
        span.end_time_unix_nano = span.start_time_unix_nano + fields["took"] * 1_000_000
        span.status.code = 2 if fields["failed"] else 0
        _add(span, {name: value for name, value in given.items() if name not in own})
    return request.SerializeToString()


def _add(owner: Any, attributes: dict[str, Any]) -> None:
    kinds = {str: "string_value", int: "int_value", bool: "bool_value", float: "double_value"}
    for name, value in attributes.items():
        attribute = owner.attributes.add()
        attribute.key = name
        setattr(attribute.value, kinds[type(value)], value)


@contextlib.contextmanager
def recording_in(folder: Path, intake: Intake | None = None, token: str | None = None, **options: Any) -> Iterator[Any]:
    """The application and its recording. When it closes, everything is in the files."""
    recording = Recording(folder, intake or Intake(), **options)
    try:
        yield receiver(recording, token), recording
    finally:
        recording.close()


def post(url: str, body: bytes, kind: str = PROTOBUF, **headers: str) -> int:
    """Sends one request to a receiver that runs, and returns the status of its answer."""
    where = urlsplit(url)
    connection = http.client.HTTPConnection(str(where.hostname), where.port, timeout=20)
    named = {"content-type": kind, **{name.replace("_", "-"): text for name, text in headers.items()}}
    connection.request("POST", where.path, body, named)
    answer = connection.getresponse()
    answer.read()
    connection.close()
    return answer.status


class Listening(NamedTuple):
    process: "subprocess.Popen[str]"
    url: str

    def stop(self, how: int = signal.SIGINT) -> tuple[str, str, int]:
        self.process.send_signal(how)
        out, err = self.process.communicate(timeout=30)
        return out, err, self.process.returncode


@contextlib.contextmanager
def listening(*words: str, cwd: Path) -> Iterator[Listening]:
    """Runs ``vestigo listen`` at a free port, and waits until it answers."""
    command = [*VESTIGO, "listen", *words, "--address", "127.0.0.1:0"]
    pipes = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE}
    with subprocess.Popen(command, cwd=cwd, text=True, **pipes) as process:
        assert process.stderr is not None
        said = process.stderr.readline()
        try:
            yield Listening(process, said.split("listening at ")[1].split(";")[0])
        finally:
            process.kill()
