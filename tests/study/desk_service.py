"""A service with a cache of its own: python desk_service.py RECORDING LIFETIME_MS. Prints its port; ends as input does.

GET /vessels/SIGN reads through the cache, GET /metrics shows its counters, as the Prometheus client writes them.
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
    held: dict[str, tuple[dict[str, str], float]] = {}

    @recorder.reads("vessel")
    def vessel(sign: str) -> dict[str, str]:
        value, until = held.get(sign, ({}, 0.0))
        now = time.monotonic()
        READS.labels("vessel", "held" if now < until else "asked").inc()
        if now >= until:
            value = {"sign": sign, "name": f"Vessel {sign}"}
            held[sign] = (value, now + float(lifetime_ms) / 1000)
        return value

    class Desk(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            if self.path == "/metrics":
                body = prometheus_client.generate_latest()
            else:
                body = vessel(self.path.rsplit("/", 1)[-1])["name"].encode()
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
