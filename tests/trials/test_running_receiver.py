"""A receiver that runs gets mutated requests between good ones: every good span is written, and the accounts agree."""

import gzip
import http.client
import json
import socket
from pathlib import Path
from urllib.parse import urlsplit

import psutil

from tests.trials.cases import cases, draws, mutated
from tests.web.receiving import listening, request_of
from tests.web.test_receiver import as_json
from vestigo import read_trace
from vestigo.web.listen.otlp import JSON, PROTOBUF

SPANS = [
    {"sign": "Q1", "name": "load"},
    {"db.query.text": "SELECT * FROM a WHERE b=?", "db.query.parameter.0": "x", "kind": 1},
    {"http.request.method": "GET", "url.full": "http://desk/a", "http.response.status_code": 404},
]


def test_the_accounts_of_a_receiver_agree_whatever_it_gets(tmp_path: Path) -> None:
    at_random = draws()
    plain = request_of(*SPANS)
    bodies = [(plain, PROTOBUF, ""), (as_json(plain), JSON, ""), (gzip.compress(plain), PROTOBUF, "gzip")]
    good = request_of({"sign": "good"})
    statuses: dict[int, int] = {}
    with listening("recording", "--intake", "columns.key={sign}", "--json", cwd=tmp_path) as receiver:
        where = urlsplit(receiver.url)
        connection = http.client.HTTPConnection(str(where.hostname), where.port, timeout=30)
        connection.connect()
        connection.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)  # head and body are sent apart
        sent = 0
        for number in range(cases(200)):
            body, kind, packing = at_random.choice(bodies)
            head = {"content-type": kind} | ({"content-encoding": packing} if packing else {})
            for content, headers in ((mutated(body, at_random), head), (good, {"content-type": PROTOBUF})):
                if content is good and number % 5:
                    continue
                connection.request("POST", where.path, content, headers)
                answer = connection.getresponse()
                answer.read()
                statuses[answer.status] = statuses.get(answer.status, 0) + 1
                assert answer.status == 200 or content is not good
                sent += content is good
        connection.close()
        used = psutil.Process(receiver.process.pid).memory_info().rss
        out, err, status = receiver.stop()
    heard = json.loads(out)
    accounted = sum(heard[name] for name in ("written", "not_asked_for", "refused", "dropped"))
    assert heard["spans"] == accounted + sum(heard["left_out"].values())
    assert (status, heard["dropped"]) == (0, 0)
    assert sum(heard["turned_away"].values()) == sum(count for code, count in statuses.items() if code != 200)
    assert set(statuses) <= {200, 400, 413}
    assert "Traceback" not in err
    assert used < 1 << 30
    trace = read_trace(tmp_path / "recording")
    assert sum(trace.keys[key] == "good" for key in trace.key) == sent
    assert heard["written"] == len(trace)
