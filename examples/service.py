"""A small service is recorded under load, surveyed, and replayed with a cache that it does not have yet.

Skerrow Quay's desk as an HTTP service over SQLite: berths and vessels are read, berths change. The two functions that
ask the database are recorded. Everything after `record` works on the files that the recorder left.
"""

import json
import random
import sqlite3
import tempfile
import threading
import urllib.error
import urllib.request
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import vestigo as vg

BERTHS, VESSELS = [f"A{number}" for number in range(1, 9)], [f"QAB{number}" for number in range(100, 160)]


def database(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, check_same_thread=False)
    connection.execute("CREATE TABLE berth (id TEXT PRIMARY KEY, status TEXT)")
    connection.execute("CREATE TABLE vessel (sign TEXT PRIMARY KEY, name TEXT, draught REAL)")
    connection.executemany("INSERT INTO berth VALUES (?, 'free')", [(berth,) for berth in BERTHS])
    rows = [(sign, f"Vessel {sign}", 2.5) for sign in VESSELS[:40]]
    connection.executemany("INSERT INTO vessel VALUES (?, ?, ?)", rows)
    return connection


Row = Any
"""What a row of SQLite is, or None."""


def desk(connection: sqlite3.Connection, recorder: vg.Recorder) -> type[BaseHTTPRequestHandler]:
    """The service: GET /berths/A1, GET /vessels/QAB123, PUT /berths/A1."""

    @recorder.reads("berth")
    def berth(name: str) -> Row:
        return connection.execute("SELECT id, status FROM berth WHERE id = ?", (name,)).fetchone()

    @recorder.reads("vessel")
    def vessel(sign: str) -> Row:
        return connection.execute("SELECT sign, name, draught FROM vessel WHERE sign = ?", (sign,)).fetchone()

    class Desk(BaseHTTPRequestHandler):
        def do_GET(self) -> None:  # the name that the standard library calls
            kind, key = self.path.strip("/").split("/")
            with recorder.scope():
                found = berth(key) if kind == "berths" else vessel(key)
            self.answer(404 if found is None else 200, found)

        def do_PUT(self) -> None:
            key = self.path.rsplit("/", 1)[-1]
            status = self.rfile.read(int(self.headers["Content-Length"])).decode()
            connection.execute("UPDATE berth SET status = ? WHERE id = ?", (status, key))
            recorder.write("berth", key)
            self.answer(200, status)

        def answer(self, status: int, what: object) -> None:
            self.send_response(status)
            self.end_headers()
            self.wfile.write(json.dumps(what).encode())

        def log_message(self, format: str, *_: object) -> None:  # noqa: A002  # as the library calls it
            """Says nothing."""

    return Desk


def load(address: str) -> None:
    """What the desk is asked in a busy minute."""
    draw = random.Random(7)
    for number in range(600):
        if number % 25 == 24:
            body = f"taken by {draw.choice(VESSELS)}".encode()
            request = urllib.request.Request(f"{address}/berths/{draw.choice(BERTHS)}", body, method="PUT")
        elif draw.random() < 0.6:
            request = urllib.request.Request(f"{address}/berths/{draw.choice(BERTHS)}")
        else:
            request = urllib.request.Request(f"{address}/vessels/{VESSELS[int(draw.betavariate(1, 3) * len(VESSELS))]}")
        try:
            urllib.request.urlopen(request).close()
        except urllib.error.HTTPError as error:  # an unknown vessel
            error.close()


def record(folder: Path) -> Path:
    recording = folder / "recording"
    with vg.Recorder(recording, node="desk-1") as recorder:
        connection = database(folder / "desk.db")
        server = ThreadingHTTPServer(("127.0.0.1", 0), desk(connection, recorder))
        thread = threading.Thread(target=server.serve_forever)
        thread.start()
        try:
            load(f"http://127.0.0.1:{server.server_port}")
        finally:
            server.shutdown()
            thread.join()
            server.server_close()
            connection.close()
    return recording


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        trace = vg.read_trace(record(Path(folder)))
    print(f"recorded: {trace.reads} reads and {len(trace) - trace.reads} changes of {len(trace.keys)} keys")
    survey = vg.survey(trace)
    for name in sorted(survey.lookups):
        one = survey.lookups[name]
        shares = f"{one.fresh_repeat_share:.1%} repeat an unchanged value, {one.null_share:.1%} find nothing"
        print(f"{name:<7} {survey.verdicts[name].kind}: {shares}")
    for nulls in ("skip", "keep"):
        outcome = vg.replay(trace, vg.Rules(max_entries=40, nulls=nulls, on_write="drop"))
        told = f"{outcome.hit_rate:.1%} hits, {outcome.loads} origin calls, {outcome.stale_rate:.1%} stale"
        print(f"40 entries, nulls={nulls}: {told}")


if __name__ == "__main__":
    main()
