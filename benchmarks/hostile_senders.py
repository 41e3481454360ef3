"""A receiver under load beside a hostile sender: is every acknowledged span written, and how long do answers take?

Eight senders send ten million spans in requests of 512. A ninth sends nothing but what a receiver should not get:
packed bodies of millions of spans, half headers, bodies that never end, mutated requests. SPANS and SECONDS ask for
less.
"""

import gzip
import http.client
import json
import multiprocessing as mp
import os
import random
import socket
import sys
import tempfile
import time
from pathlib import Path
from urllib.parse import SplitResult, urlsplit

import numpy as np
import psutil

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.trials.cases import mutated
from tests.web.receiving import listening, request_of
from tests.web.test_hostile_senders import empty_json_spans, empty_spans
from vestigo.web.listen.otlp import MOST_SPANS

SPANS, SECONDS, SENDERS, EACH = (
    int(os.environ.get("SPANS", "10_000_000")),
    int(os.environ.get("SECONDS", "600")),
    8,
    512,
)
HEAD = {"content-type": "application/x-protobuf"}


def connected(where: SplitResult) -> http.client.HTTPConnection:
    connection = http.client.HTTPConnection(str(where.hostname), where.port, timeout=60)
    connection.connect()
    connection.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return connection


def send(url: str, number: int, results: "mp.Queue[tuple[int, list[float]]]") -> None:
    """Sends its share evenly over the time. What is not acknowledged is sent again, as exporters do."""
    where = urlsplit(url)
    body = request_of(*({"sign": f"Q{number}-{span}", "at": span} for span in range(EACH)))
    requests = SPANS // SENDERS // EACH
    acknowledged, took, connection, begun = 0, [], connected(where), time.monotonic()
    for request in range(requests):
        time.sleep(max(begun + SECONDS * request / requests - time.monotonic(), 0))
        while True:
            sent = time.monotonic()
            try:
                connection.request("POST", where.path, body, HEAD)
                answer = connection.getresponse()
                content = answer.read()
            except OSError:
                connection.close()
                connection = connected(where)
                continue
            if answer.status == 200:
                took.append(time.monotonic() - sent)
                acknowledged += EACH if content == b"" else 0
                break
            time.sleep(0.1)
    results.put((acknowledged, took))


def harass(url: str) -> None:
    where, at_random, kept = urlsplit(url), random.Random(1), []
    good = request_of({"sign": "x"})
    packed = [
        gzip.compress(make(count)) for make in (empty_spans, empty_json_spans) for count in (MOST_SPANS, 4_000_000)
    ]
    kinds = ["application/x-protobuf", "application/x-protobuf", "application/json", "application/json"]
    while True:
        number = at_random.randrange(8)
        try:
            if number < 4:
                connection = connected(where)
                head = {"content-type": kinds[number], "content-encoding": "gzip"}
                connection.request("POST", where.path, packed[number], head)
                connection.getresponse().read()
                connection.close()
            elif number < 6:
                kept.append(socket.create_connection((str(where.hostname), where.port)))
                kept[-1].sendall(
                    [b"POST /v1/tra", b"POST /v1/traces HTTP/1.1\r\ncontent-length: 9\r\n\r\nx"][number - 4]
                )
                while len(kept) > 400:
                    kept.pop(0).close()
            else:
                connection = connected(where)
                connection.request("POST", where.path, mutated(good, at_random), HEAD)
                connection.getresponse().read()
                connection.close()
        except (OSError, http.client.HTTPException):
            continue


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        words = ("recording", "--intake", "columns.key={sign}", "--json")
        with listening(*words, cwd=Path(folder)) as receiver:
            results: mp.Queue[tuple[int, list[float]]] = mp.Queue()
            senders = [mp.Process(target=send, args=(receiver.url, number, results)) for number in range(SENDERS)]
            hostile = mp.Process(target=harass, args=(receiver.url,), daemon=True)
            begun, most, told = time.monotonic(), 0, []
            for one in (hostile, *senders):
                one.start()
            process = psutil.Process(receiver.process.pid)
            while len(told) < SENDERS:
                most = max(most, process.memory_info().rss)
                while not results.empty():
                    told.append(results.get())
                time.sleep(0.2)
            seconds = time.monotonic() - begun
            hostile.terminate()
            out, err, status = receiver.stop()
        heard = json.loads(out)
        lines = 0
        for file in (Path(folder) / "recording").iterdir():
            with file.open("rb") as content:
                lines += sum(line.count(b'"Q') for line in content)
    took = np.concatenate([one for _, one in told]) * 1e3
    acknowledged = sum(count for count, _ in told)
    print(f"{acknowledged:,} spans acknowledged to good senders in {seconds:.0f} s; {lines:,} of theirs written")
    print(
        f"answers: median {np.median(took):.1f} ms, p99 {np.quantile(took, 0.99):.0f} ms, longest {took.max():.0f} ms"
    )
    print(f"most memory: {most / 1e6:.0f} MB; status {status}; stderr {err!r}")
    print({name: heard[name] for name in heard if name != "folder"})


if __name__ == "__main__":
    main()
