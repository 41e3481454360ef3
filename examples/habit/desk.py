"""A small service of a made-up harbour. It reads the settings of its cache from a file, and shows counters at /metrics.

Its traffic are recordings, so that all is the same each time: the first is over when it begins to serve, and whenever
its counters are fetched, half an hour of the others has gone by. It prints its address, and serves until its input is
closed.
"""

import json
import sys
import threading
from collections import Counter, OrderedDict
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import vestigo as vg

HALF_AN_HOUR_NS = 1800 * 10**9


class Cache:
    """The entries of one look-up: the ones that were used last, each as long as it may be kept."""

    def __init__(self, settings: dict[str, float | None]) -> None:
        self.kept = bool(settings["kept"])
        self.room = settings["room"] or float("inf")
        self.room_bytes = (settings["room_kib"] or float("inf")) * 1024
        self.keep_ns, self.idle_ns = ((settings[name] or float("inf")) * 1e9 for name in ("keep_s", "idle_s"))
        self.entries: OrderedDict[str, tuple[int, int, int]] = OrderedDict()
        self.bytes = 0

    def has(self, key: str, now: int) -> bool:
        """Whether a read of the key is answered."""
        entry = self.entries.pop(key, None)
        if entry is None:
            return False
        loaded, used, size = entry
        if now >= loaded + self.keep_ns or now >= used + self.idle_ns:
            self.bytes -= size
            return False
        self.entries[key] = loaded, now, size
        return True

    def store(self, key: str, size: int, now: int) -> None:
        if not self.kept or size > self.room_bytes:
            return
        self.entries[key] = now, now, size
        self.bytes += size
        while len(self.entries) > self.room or self.bytes > self.room_bytes:
            self.bytes -= self.entries.popitem(last=False)[1][2]


def reads_in(recording: str) -> list[tuple[int, str, str, int]]:
    trace = vg.read_trace(recording)
    names = [trace.lookups[number] for number in trace.lookup]
    keys = [trace.keys[number] for number in trace.key.tolist()]
    return list(zip(trace.at.tolist(), names, keys, trace.size.tolist(), strict=True))


class Service:
    def __init__(self, settings: str, before: str, *recordings: str) -> None:
        told = json.loads(Path(settings).read_text())
        self.caches = {lookup: Cache(each) for lookup, each in told.items()}
        self.counts: Counter[tuple[str, str]] = Counter()
        for read in reads_in(before):
            self.answer(*read)
        self.reads = [read for recording in recordings for read in reads_in(recording)]
        self.now, self.place = self.reads[0][0], 0

    def answer(self, at: int, lookup: str, key: str, size: int) -> None:
        cache = self.caches[lookup]
        held = cache.has(key, at)
        self.counts[lookup, "held" if held else "asked"] += 1
        if not held:
            cache.store(key, size + 64, at)

    def half_an_hour(self) -> None:
        self.now += HALF_AN_HOUR_NS
        while self.place < len(self.reads) and self.reads[self.place][0] < self.now:
            self.answer(*self.reads[self.place])
            self.place += 1

    def page(self) -> str:
        self.half_an_hour()
        rows = sorted(self.counts.items())
        lines = [
            f'desk_reads_total{{cache="{name}",answer="{how}"}} {n} {self.now // 10**6}' for (name, how), n in rows
        ]
        return "\n".join(lines) + "\n"


class Handler(BaseHTTPRequestHandler):
    service: Service

    def do_GET(self) -> None:
        page = self.service.page().encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(page)))
        self.end_headers()
        self.wfile.write(page)

    def log_message(self, *_: object) -> None:
        """Says nothing."""


if __name__ == "__main__":
    Handler.service = Service(*sys.argv[1:])
    server = HTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    print(f"http://127.0.0.1:{server.server_address[1]}/metrics", flush=True)
    sys.stdin.read()
