"""``vestigo listen`` as a user runs it: real services send, their recording is replayed, and survives a kill."""

import http.client
import json
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from tests.cli.calling import run, run_apart
from tests.web.receiving import listening, request_of
from vestigo import read_trace
from vestigo.trace.trace import Op
from vestigo.web.listen.otlp import PROTOBUF

HERE = Path(__file__).parent
PACKAGES = HERE.parents[1] / "examples" / "beside_a_service" / "node_modules"
VESSELS = (
    "--span",
    "name=vessel.{...}",
    "--intake",
    "columns.lookup=vessel",
    "--intake",
    "columns.key={vessel.call_sign}",
)
without_node = pytest.mark.skipif(
    shutil.which("node") is None or not PACKAGES.exists(), reason="Node.js or its packages are missing"
)


def test_a_service_in_python_is_recorded_surveyed_and_replayed(tmp_path: Path) -> None:
    changes = ("--span-writes", "name=vessel.store", "--intake", "null_where.answer.rows=0")
    with listening("recording", *VESSELS, *changes, cwd=tmp_path) as receiver:
        subprocess.run([sys.executable, str(HERE / "service.py"), receiver.url, "1000"], check=True, timeout=60)
        out, err, status = receiver.stop()
    assert (status, err) == (0, "")
    assert out.splitlines() == [
        "recording: 1,100 events written, of 2,100 spans",
        "  skipped 1,000 spans that match no --span",
        "Next: vestigo survey recording",
    ]
    trace = read_trace(tmp_path / "recording")
    assert (trace.reads, int((trace.op == Op.WRITE).sum()), len(trace.keys)) == (1000, 100, 25)
    assert int((trace.found[trace.op == Op.READ] == 0).sum()) == 250
    assert (trace.nodes, len(trace.scopes)) == (("quay-1",), 1100)
    assert run("survey", "recording", cwd=tmp_path).returncode == 0
    done = run("replay", "recording", "--rules", "max_entries=25", "--json", cwd=tmp_path)
    assert json.loads(done.stdout)["today"]["hits"] > 500


@without_node
@pytest.mark.parametrize("encoding", ["json", "protobuf"])
def test_a_service_in_node_is_recorded(tmp_path: Path, encoding: str) -> None:
    (tmp_path / "node_modules").symlink_to(PACKAGES)
    script = shutil.copy(HERE / "node_service.mjs", tmp_path)
    with listening(
        "recording", *VESSELS, "--intake", "columns.size={answer.bytes}", "--json", cwd=tmp_path
    ) as receiver:
        subprocess.run(["node", script, receiver.url, encoding, "800"], check=True, timeout=60)
        out, _, status = receiver.stop(signal.SIGTERM)
    assert status == 0
    heard = json.loads(out)
    assert heard == {
        "folder": "recording",
        "spans": 1600,
        "written": 800,
        "not_asked_for": 800,
        "left_out": {},
        "refused": 0,
        "dropped": 0,
        "turned_away": {},
    }
    trace = read_trace(tmp_path / "recording")
    assert (trace.reads, len(trace.keys), set(trace.size.tolist()), trace.nodes) == (800, 25, {120}, ("quay-9",))


def test_what_was_written_is_read_after_a_kill_but_for_a_line_that_was_cut(tmp_path: Path) -> None:
    with listening("recording", "--intake", "columns.key={sign}", cwd=tmp_path) as receiver:
        where = urlsplit(receiver.url)
        connection = http.client.HTTPConnection(str(where.hostname), where.port, timeout=10)
        body = request_of(*({"sign": f"Q{number}"} for number in range(5000)))
        sent = 0
        while sent < 100 and not any(file.stat().st_size for file in (tmp_path / "recording").glob("*.jsonl")):
            connection.request("POST", where.path, body, {"content-type": PROTOBUF})
            assert connection.getresponse().read() == b""
            sent += 1
        receiver.process.send_signal(signal.SIGKILL)
        receiver.process.wait()
        connection.close()
    trace = read_trace(tmp_path / "recording")
    assert {note.rpartition(": ")[2].split(" (")[0] for note in trace.notes} <= {
        "costs taken as ns",
        "the last line is cut short and left out",
    }
    assert 5_000 <= len(trace) <= sent * 5_000


def test_it_ends_by_itself_and_says_what_it_heard(tmp_path: Path) -> None:
    done = run_apart("listen", "recording", "--address", "127.0.0.1:0", "--for", "500ms", cwd=tmp_path)
    assert (done.returncode, done.stdout) == (0, "recording: 0 events written, of 0 spans\n")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--address", "4318"], "vestigo: --address 4318: is not HOST:PORT; write 127.0.0.1:4318, for example"),
        (
            ["--address", "0.0.0.0:0"],
            "vestigo: --address 0.0.0.0:0: other machines can reach this address; "
            "add --token FILE, a token for senders",
        ),
        (
            ["--address", "192.0.2.1:9", "--token", "token"],
            "vestigo: --address 192.0.2.1:9: nothing can listen there: ",
        ),
        (["--token", "none"], "vestigo: none: cannot be read: No such file or directory"),
        (["--token", "empty"], "vestigo: empty: holds no token; write one line of text, 16 letters or more"),
        (["--for", "5"], "vestigo: --for: '5' is not a duration"),
        (["--span", "x"], "vestigo: --span x: is not NAME=PATTERN; write name='load {...}', for example"),
        (["--intake", "columns.kee={x}"], "vestigo: columns.kee: 'kee' is unknown; did you mean 'key'?"),
    ],
)
def test_wrong_calls_are_one_sentence(tmp_path: Path, words: list[str], said: str) -> None:
    (tmp_path / "token").write_text("a token that is long enough\n")
    (tmp_path / "empty").write_text("\n")
    done = run("listen", "recording", *words, cwd=tmp_path)
    assert (done.returncode, done.stdout) == (2, "")
    assert done.stderr.startswith(said)
    assert done.stderr.count("\n") == 1
    assert not (tmp_path / "recording").exists()
