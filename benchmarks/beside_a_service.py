"""How fast the receiver takes spans, and how fast a cache is driven: ``make bench``.

The receiver runs on one core (taskset), the sender on another. A sender that waits for each answer measures how many
spans a second are taken. Then half as many are sent for a while, and none may be lost. Medians of several rounds.
"""

import functools
import http.client
import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest

import vestigo as vg

CACHES = Path(__file__).parent.parent / "examples" / "caches"
ROUNDS, SPANS, ATTRIBUTES = 5, 512, 8
READS = 300_000


def request() -> bytes:
    """A request as an exporter sends it: 512 database spans with 8 attributes each."""
    message = ExportTraceServiceRequest()
    group = message.resource_spans.add()
    for name in ("service.name", "service.instance.id"):
        attribute = group.resource.attributes.add(key=name)
        attribute.value.string_value = "quay-1"
    scoped = group.scope_spans.add()
    for number in range(SPANS):
        begin = 1_773_734_400_000_000_000 + number * 1000
        span = scoped.spans.add(
            name="SELECT vessels", kind=3, start_time_unix_nano=begin, end_time_unix_nano=begin + 500
        )
        span.trace_id, span.span_id = (number + 1).to_bytes(16, "big"), (number + 1).to_bytes(8, "big")
        about = {
            "db.system.name": "postgresql",
            "db.namespace": "desk",
            "db.query.summary": "SELECT vessels",
            "db.query.text": "SELECT * FROM vessels WHERE sign = $1",
            "db.query.parameter.sign": f"Q{number % 97}",
            "server.address": "quay",
            "thread.name": "main",
        }
        for name, text in about.items():
            attribute = span.attributes.add(key=name)
            attribute.value.string_value = text
        rows = span.attributes.add(key="db.response.returned_rows")
        rows.value.int_value = 1
    return message.SerializeToString()


def send(port: int, body: bytes, seconds: float, rate: float | None) -> tuple[int, float]:
    """Sends requests, and returns how many spans were sent, and how many a second."""
    connection = http.client.HTTPConnection("127.0.0.1", port)
    begun, sent = time.perf_counter(), 0
    while (now := time.perf_counter() - begun) < seconds:
        if rate is not None and sent / rate > now:
            time.sleep(sent / rate - now)
        connection.request("POST", "/v1/traces", body, {"content-type": "application/x-protobuf"})
        answer = connection.getresponse().read()
        assert answer == b"", answer
        sent += SPANS
    return sent, sent / (time.perf_counter() - begun)


def received() -> None:
    body, rates = request(), []
    os.sched_setaffinity(0, {1})
    for _ in range(ROUNDS):
        with tempfile.TemporaryDirectory() as folder:
            words = [
                "taskset",
                "-c",
                "0",
                sys.executable,
                "-m",
                "vestigo",
                "listen",
                folder,
                "--address",
                "127.0.0.1:0",
                "--json",
            ]
            listener = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
            port = int(listener.stderr.readline().split("127.0.0.1:")[1].split("/")[0])
            flood, rate = send(port, body, 5, None)
            paced, half = send(port, body, 5, rate / 2)
            peak = Path(f"/proc/{listener.pid}/status").read_text().split("VmHWM:")[1].split()[0]
            listener.terminate()
            heard = json.loads(listener.communicate()[0])
            lost = flood + paced - heard["written"]
            rates.append(rate)
            print(
                f"  {rate:,.0f} spans/s taken; at {half:,.0f} spans/s and before, {lost} of {flood + paced:,} lost; "
                f"{int(peak) / 1024:.0f} MiB at most"
            )
    os.sched_setaffinity(0, set(range(os.cpu_count() or 1)))
    print(f"listen: {statistics.median(rates):,.0f} spans/s on one core (median of {ROUNDS} rounds; target 20,000)")


def driven() -> None:
    trace = vg.synth(reads=READS, keys=20_000, seed=1)
    rules = vg.Rules(max_entries=2000, nulls="keep")
    ways = {"functools.lru_cache": {"read": None}}
    if shutil.which("node"):
        ways["Node.js, a Map"] = {"command": f"node {CACHES / 'lru.mjs'} 2000 1000000000"}
    if shutil.which("java"):
        ways["Java, a LinkedHashMap"] = {"command": f"java {CACHES / 'LinkedCache.java'} 2000"}
    begun = time.perf_counter()
    vg.read_by_read(trace, rules)
    print(f"a replay, read by read: {READS / (time.perf_counter() - begun):,.0f} reads/s")
    for name, given in ways.items():
        speeds = []
        for _ in range(ROUNDS):
            cache = functools.lru_cache(maxsize=2000)(lambda _, __, load: load())
            begun = time.perf_counter()
            found = vg.drive(trace, settings=rules, **({"read": cache} if "read" in given else given))
            speeds.append(READS / (time.perf_counter() - begun))
            assert found.differ == 0, found
        print(f"drive, {name}: {statistics.median(speeds):,.0f} events/s, the replay beside it included")


if __name__ == "__main__":
    received()
    driven()
