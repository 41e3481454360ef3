"""Nobody who can connect stops a receiver, or takes its memory: beside hostile senders a good one is answered soon."""

import asyncio
import contextlib
import gzip
import json
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import psutil
import pytest
from starlette.exceptions import HTTPException

from tests.slowness import seconds
from tests.web.receiving import Listening, ask, listening, post, recording_in, request_of
from vestigo.trace import Intake
from vestigo.web.connections import MOST_CONNECTIONS
from vestigo.web.listen import bodies
from vestigo.web.listen.bodies import LARGEST_BODY, Bodies, Larger, unpacked
from vestigo.web.listen.otlp import JSON, MOST_PARTS, MOST_SPANS, PROTOBUF

KEYED = ("--intake", "columns.key={sign}")
GOOD = request_of({"sign": "Q1"})


def field(number: int, content: bytes) -> bytes:
    """A field of a message in protobuf."""

    def varint(value: int) -> bytes:
        return bytes([value]) if value < 128 else bytes([value & 127 | 128]) + varint(value >> 7)

    return varint(number << 3 | 2) + varint(len(content)) + content


def empty_spans(count: int) -> bytes:
    return field(1, field(2, field(2, b"") * count))


def empty_json_spans(count: int) -> bytes:
    return b'{"resourceSpans":[{"scopeSpans":[{"spans":[{}' + b",{}" * (count - 1) + b"]}]}]}"


MANY = gzip.compress(empty_spans(8_000_000))


@contextlib.contextmanager
def connections(receiver: Listening, count: int, begin: bytes) -> Iterator[list[socket.socket]]:
    where = urlsplit(receiver.url)
    with contextlib.ExitStack() as stack:
        made = []
        for _ in range(count):
            made.append(stack.enter_context(socket.create_connection((str(where.hostname), where.port), timeout=10)))
            made[-1].sendall(begin)
        yield made


@pytest.mark.parametrize(
    "begin",
    [b"", b"POST /v1/tra", b"POST /v1/traces HTTP/1.1\r\nhost: a\r\ncontent-type: " + PROTOBUF.encode()],
    ids=["silent", "half a line", "half a header"],
)
def test_senders_that_say_nothing_keep_nobody_out(tmp_path: Path, begin: bytes) -> None:
    with listening("recording", *KEYED, "--json", cwd=tmp_path) as receiver:
        with connections(receiver, MOST_CONNECTIONS + 100, begin):
            assert [post(receiver.url, GOOD) for _ in range(20)] == [200] * 20
        out, _, status = receiver.stop()
    heard = json.loads(out)
    assert (status, heard["written"], heard["spans"]) == (0, 20, 20)
    assert heard["turned_away"]["connections closed to make room: they waited longest for the rest of a request"] >= 100


def test_bodies_that_never_end_keep_nobody_out(tmp_path: Path) -> None:
    begin = f"POST /v1/traces HTTP/1.1\r\nhost: a\r\ncontent-type: {PROTOBUF}\r\ncontent-length: 500\r\n\r\nab".encode()
    with listening("recording", *KEYED, cwd=tmp_path) as receiver, connections(receiver, MOST_CONNECTIONS + 50, begin):
        assert [post(receiver.url, GOOD) for _ in range(20)] == [200] * 20


def closed_after(one: socket.socket) -> float:
    begun = time.monotonic()
    one.settimeout(15)
    with contextlib.suppress(ConnectionError):
        while one.recv(1000):
            pass
    return time.monotonic() - begun


@pytest.mark.clock
def test_a_header_has_five_seconds_however_it_comes(tmp_path: Path) -> None:
    """One connection says nothing, one sends a letter now and then, one begins a second request, and one is refused and
    goes on sending.
    """
    (tmp_path / "token").write_text("a token that is long enough")
    bearer = "authorization: Bearer a token that is long enough\r\n"
    with (
        listening("recording", *KEYED, "--token", "token", "--json", cwd=tmp_path) as receiver,
        connections(receiver, 4, b"") as (silent, slow, second, refused),
    ):
        head = f"POST /v1/traces HTTP/1.1\r\nhost: a\r\ncontent-type: {PROTOBUF}\r\n"
        second.sendall(f"{head}{bearer}content-length: {len(GOOD)}\r\n\r\n".encode() + GOOD)
        assert second.recv(1000).startswith(b"HTTP/1.1 200")
        second.sendall(b"POST")
        refused.sendall(f"{head}content-length: 9999999\r\n\r\n".encode())
        assert b"401" in refused.recv(1000)
        with contextlib.suppress(ConnectionError):
            for letter in b"POST /v1/traces HTTP/1.1":
                slow.sendall(bytes([letter]))
                refused.sendall(b"x")
                time.sleep(0.28)
        assert max(map(closed_after, (silent, slow, second, refused))) < seconds(1)
        out, _, _ = receiver.stop()
    assert json.loads(out)["turned_away"] == {
        "status 401: this receiver asks for a token": 1,
        "connections closed: no header came in 5 s, or no body in 30 s": 4,
    }


@pytest.mark.clock
def test_a_kept_connection_may_rest_between_requests(tmp_path: Path) -> None:
    """Exporters send every five seconds by default."""
    with listening("recording", *KEYED, cwd=tmp_path) as receiver, connections(receiver, 1, b"") as (kept,):
        head = f"POST /v1/traces HTTP/1.1\r\nhost: a\r\ncontent-type: {PROTOBUF}\r\n"
        for rest in (0, 6.5):
            time.sleep(rest)
            kept.sendall(f"{head}content-length: {len(GOOD)}\r\n\r\n".encode() + GOOD)
            assert kept.recv(1000).startswith(b"HTTP/1.1 200")


def test_what_is_no_http_is_counted(tmp_path: Path) -> None:
    with (
        listening("recording", cwd=tmp_path) as receiver,
        connections(receiver, 1, b"\x16\x03\x01 no HTTP\r\n\r\n") as (one,),
    ):
        assert one.recv(1000).startswith(b"HTTP/1.1 400")
        out, _, _ = receiver.stop()
    assert "  turned away 1 time: no HTTP" in out


@pytest.mark.clock
@pytest.mark.parametrize("kind", [PROTOBUF, JSON])
def test_a_good_sender_is_answered_beside_bodies_of_millions_of_spans(tmp_path: Path, kind: str) -> None:
    """Some are far beyond the limits, some are just within them, and some lie of their size."""
    make = empty_spans if kind == PROTOBUF else empty_json_spans
    beyond = gzip.compress(make(LARGEST_BODY // 3 - 100))
    within = gzip.compress(make(MOST_SPANS))
    lying = beyond[:-4] + (100).to_bytes(4, "little")
    over = threading.Event()

    def send_again_and_again(body: bytes) -> None:
        while not over.is_set():
            with contextlib.suppress(OSError):
                statuses.add(post(receiver.url, body, kind, content_encoding="gzip"))

    statuses: set[int] = set()
    with listening("recording", *KEYED, "--json", cwd=tmp_path) as receiver:
        hostile = [threading.Thread(target=send_again_and_again, args=(body,)) for body in (beyond, within, lying) * 5]
        for one in hostile:
            one.start()
        took, most = [], 0
        for _ in range(20):
            begun = time.monotonic()
            assert post(receiver.url, GOOD) == 200
            took.append(time.monotonic() - begun)
            most = max(most, psutil.Process(receiver.process.pid).memory_info().rss)
            time.sleep(0.1)
        until = time.monotonic() + 30
        while 413 not in statuses and time.monotonic() < until:  # on a busy machine the first one takes a while
            time.sleep(0.1)
        over.set()
        for one in hostile:
            one.join()
        out, _, _ = receiver.stop()
    heard = json.loads(out)
    assert statuses <= {200, 400, 413, 503}
    assert {200, 413} <= statuses
    assert heard["written"] == 20
    assert heard["spans"] == heard["written"] + heard["refused"]
    assert sorted(took)[-2] < seconds(1)
    assert most < 700 << 20


@pytest.mark.parametrize(
    ("body", "kind", "said"),
    [
        (empty_spans(MOST_SPANS + 1), PROTOBUF, "a request may have 32,768 spans; send fewer at once"),
        (empty_json_spans(MOST_SPANS + 1), JSON, "a request may have 32,768 spans; send fewer at once"),
        (field(1, b"") * (MOST_PARTS + 1), PROTOBUF, "a request may have 524,288 objects and texts; send fewer"),
        (field(1, field(1, field(1, b"") * MOST_PARTS)), PROTOBUF, "a request may have 524,288 objects and texts"),
        (b'{"resourceSpans":[' + b"[]," * MOST_PARTS, JSON, "a request may have 524,288 objects and texts"),
    ],
)
def test_requests_with_too_much_in_them_are_told_so(tmp_path: Path, body: bytes, kind: str, said: str) -> None:
    with recording_in(tmp_path, Intake()) as (app, recording):
        answer = ask(app, gzip.compress(body), kind, content_encoding="gzip")
    assert answer.status == 413
    assert said.encode() in answer.body
    assert (recording.heard.spans, sum(recording.heard.turned_away.values())) == (0, 1)


@pytest.mark.parametrize("body", [empty_spans(MOST_SPANS), empty_json_spans(MOST_SPANS)])
def test_as_many_spans_as_a_request_may_have_are_read(tmp_path: Path, body: bytes) -> None:
    with recording_in(tmp_path, Intake()) as (app, recording):
        assert ask(app, body, JSON if body.startswith(b"{") else PROTOBUF).status == 200
    assert recording.heard.refused == MOST_SPANS


def test_many_small_packages_of_gzip_are_refused() -> None:
    one = gzip.compress(b"a")
    assert unpacked(one * 16, 100) == b"a" * 16
    with pytest.raises(bodies.zlib.error):
        unpacked(one * 500_000, 1 << 20)
    with pytest.raises(Larger):
        unpacked(gzip.compress(b"a" * 101), 100)


class Sent:
    """A request with a body, as an application gets it."""

    def __init__(self, body: bytes, packing: str = "identity") -> None:
        self.headers, self.body = {"content-encoding": packing}, body

    async def stream(self):  # type: ignore[no-untyped-def]
        yield self.body


@pytest.mark.clock
def test_the_smallest_body_is_read_first_and_none_waits_long(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bodies, "SECONDS_TO_WAIT", 0.5)
    order: list[int] = []

    def read(body: bytes) -> None:
        time.sleep(0.1 if len(body) < 9000 else 0.7)
        order.append(len(body))

    async def all_at_once(*sizes: int) -> list[object]:
        held, asked = Bodies(), []
        for size in sizes:
            asked.append(asyncio.create_task(held.read(Sent(b"x" * size), read)))  # type: ignore[arg-type]
            await asyncio.sleep(0.01)
        found = await asyncio.gather(*asked, return_exceptions=True)
        assert held._held_bytes == 0
        assert not held._turns._is_taken
        return found

    assert asyncio.run(all_at_once(5, 40, 30, 10, 20)) == [None] * 5
    assert order == [5, 10, 20, 30, 40]
    found = asyncio.run(all_at_once(9000, 5, 6))
    assert [isinstance(one, HTTPException) and one.status_code for one in found] == [False, 503, 503]


@pytest.mark.clock
def test_all_bodies_together_have_a_bound(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bodies, "MOST_HELD_BYTES", 25)

    async def three() -> list[object]:
        held = Bodies()
        asked = [held.read(Sent(b"x" * 10), lambda _: time.sleep(0.2)) for _ in range(3)]  # type: ignore[arg-type]
        return await asyncio.gather(*asked, return_exceptions=True)

    found = asyncio.run(three())
    assert [getattr(one, "status_code", 200) for one in found] == [200, 200, 503]
