"""A service with its own cache: python desk_service.py RECORDING LIFETIME_MS. It prints its port, and ends when its
input ends.

GET /vessels/SIGN and /berths/NAME read through the cache; GET /metrics shows counters, as the Prometheus client does.
"""

import sys
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import prometheus_client

from vestigo import Recorder

READS = prometheus_client.Counter("desk_reads", "Reads of the desk's cache.", ["cache", "answer"])


def main(recording: str, lifetime_ms: str) -> None:
    recorder = Recorder(recording, node="quay-1", flush_every="50ms")
    held: dict[tuple[str, str], tuple[str, float]] = {}

    def read(cache: str, key: str) -> str:
        value, until = held.get((cache, key), ("", 0.0))
        now = time.monotonic()
        READS.labels(cache, "held" if now < until else "asked").inc()
        if now >= until:
            value = f"{cache} {key}"
            held[cache, key] = (value, now + float(lifetime_ms) / 1000)
        return value

    vessel = recorder.reads("vessel")(lambda sign: read("vessel", sign))
    berth = recorder.reads("berth")(lambda name: read("berth", name))

    class Desk(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        wbufsize = 1 << 16  # an answer is sent at once

        def do_GET(self) -> None:
            if self.path == "/metrics":
                body = prometheus_client.generate_latest()
            else:
                kind, key = self.path.strip("/").split("/")
                body = (vessel if kind == "vessels" else berth)(key).encode()
            self.send_response(200)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            """Says nothing."""

    server = ThreadingHTTPServer(("127.0.0.1", 0), Desk)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    sys.stdout.write(f"{server.server_port}\n")
    sys.stdout.flush()
    sys.stdin.read()
    server.shutdown()
    recorder.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
