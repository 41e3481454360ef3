"""A recorder notes what is read, and never gets in the way: not with a full buffer, a full disk, a fork, or a kill."""

import asyncio
import contextlib
import gc
import json
import os
import signal
import subprocess
import sys
import textwrap
import threading
import time
from pathlib import Path
from typing import Any

import pytest

from vestigo import Recorder, RulesError, TraceError, read_trace
from vestigo.trace import Op


def rows(folder: Path) -> list[dict[str, Any]]:
    lines = [line for path in sorted(folder.iterdir()) for line in path.read_text().splitlines()]
    return [json.loads(line) for line in lines]


def test_a_read_is_noted_with_all_that_is_known(tmp_path: Path) -> None:
    with Recorder(tmp_path, node="quay-1") as recorder:

        @recorder.reads("vessel", key=lambda sign, **_: sign.upper())
        def vessel(sign: str, fleet: str = "all") -> dict[str, str] | None:
            time.sleep(0.002)
            return {"name": "Gull", "fleet": fleet} if sign == "qab123" else None

        before = time.time_ns()
        with recorder.scope("page 7"):
            assert vessel("qab123") == {"name": "Gull", "fleet": "all"}
        assert vessel("qzz999", fleet="own") is None
        assert vessel.__name__ == "vessel"
    first, second = rows(tmp_path)
    assert before <= first.pop("at") <= time.time_ns()
    assert 2_000_000 <= first.pop("cost") < 10**9
    assert int(first.pop("version")) > 2**32
    size = first.pop("size")
    assert 20 < size < 80
    assert first == {
        "op": "read", "lookup": "vessel", "key": "QAB123", "node": "quay-1", "found": True, "scope": "page 7"
    }  # fmt: skip
    assert (second["found"], second["size"], "version" in second, "scope" in second) == (False, 0, False, False)


def test_async_functions_scopes_and_changes(tmp_path: Path) -> None:
    with Recorder(tmp_path) as recorder:

        @recorder.reads("berth", size=lambda _: 7, version=None, null=lambda value: not value)
        async def berth(_row: str, number: int, *, night: bool = False) -> list[str]:
            await asyncio.sleep(0.001 * night)
            return ["taken"] if number == 1 else []

        async def page(number: int) -> None:
            with recorder.scope() as name:
                assert name.startswith(recorder.node)
                await asyncio.gather(berth("A", number), berth("B", number, night=True))

        async def service() -> None:
            await asyncio.gather(page(1), page(2))

        asyncio.run(service())
        recorder.write("berth", "A:1")
        recorder.remove("berth", "A:1")
    trace = read_trace(tmp_path)
    assert sorted(trace.keys[:]) == ["A:1", "A:2", "B:1:night=True", "B:2:night=True"]
    assert [Op(op).name for op in trace.op[4:]] == ["WRITE", "REMOVE"]
    assert sorted(trace.found[:4].tolist()) == [0, 0, 1, 1]
    assert sorted(trace.size[:4].tolist()) == [0, 0, 7, 7]
    assert sorted(trace.scope[:4].tolist()) == [0, 0, 1, 1]
    assert recorder.written == 6


def test_what_raises_is_passed_on_or_counted_and_nothing_is_noted(tmp_path: Path) -> None:
    with Recorder(tmp_path) as recorder:
        load = recorder.reads("l")(lambda number: 1 // number)
        odd = recorder.reads("l", key=lambda number: [][number])(lambda number: number)
        with pytest.raises(ZeroDivisionError):
            load(0)
        assert odd(3) == 3
        assert load(1) == 1
        recorder.write("l", "\ud800")  # text that only JSON can write
    assert recorder.failed == 1
    assert [row["op"] for row in rows(tmp_path)] == ["read", "write"]


def test_many_threads_lose_nothing(tmp_path: Path) -> None:
    with Recorder(tmp_path, flush_every="1ms", rotate_at="50 KiB") as recorder:
        load = recorder.reads("l")(lambda number: number)
        threads = [threading.Thread(target=lambda: [load(number) for number in range(2_000)]) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    assert (recorder.written, recorder.dropped) == (16_000, 0)
    assert len(list(tmp_path.iterdir())) > 3
    trace = read_trace(tmp_path)
    assert (len(trace), len(trace.keys)) == (16_000, 2_000)


@pytest.mark.clock
def test_a_full_buffer_drops_and_counts(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path, buffer=10, flush_every="1h")
    time.sleep(0.05)  # the thread looks at an empty buffer first
    for number in range(25):
        recorder.write("l", number)
    assert recorder.dropped == 15
    recorder.flush()
    recorder.write("l", "after")
    recorder.close()
    recorder.write("l", "too late")
    assert (recorder.written, recorder.dropped) == (11, 16)
    assert repr(recorder) == f"<Recorder {tmp_path}: 11 events written, 16 dropped>"


def in_process(code: str, folder: Path, **pipes: int) -> "subprocess.Popen[str]":
    header = "import os, sys, time\nfrom vestigo import Recorder\nfolder = sys.argv[1]\n"
    program = header + textwrap.dedent(code)
    return subprocess.Popen([sys.executable, "-c", program, folder], stdout=subprocess.PIPE, text=True, **pipes)


@pytest.mark.clock
def test_a_killed_process_loses_only_what_was_not_flushed(tmp_path: Path) -> None:
    process = in_process(
        """
        recorder = Recorder(folder, flush_every="10ms")
        number = 0
        while True:
            recorder.write("l", number)
            number += 1
            if number == 20_000:
                recorder.flush()
                print("go", flush=True)
            time.sleep(0 if number % 100 else 0.0001)
        """,
        tmp_path,
    )
    assert process.stdout is not None and process.stdout.readline() == "go\n"
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    trace = read_trace(tmp_path)
    assert len(trace) >= 20_000
    assert trace.keys[: len(trace)] == [str(number) for number in range(len(trace))]


def test_a_line_that_a_kill_cut_is_left_out_and_said(tmp_path: Path) -> None:
    (tmp_path / "a.jsonl").write_text('{"at": 1, "key": "a"}\n{"at": 2, "ke')
    trace = read_trace(tmp_path)
    assert len(trace) == 1
    assert trace.notes == (f"{tmp_path}/a.jsonl: the last line is cut short and left out",)
    with pytest.raises(TraceError, match="cut short"):
        read_trace(tmp_path, strict=True)


def test_a_full_disk_is_survived(tmp_path: Path) -> None:
    process = in_process(
        """
        import resource, signal
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        recorder = Recorder(folder, flush_every="1h")
        resource.setrlimit(resource.RLIMIT_FSIZE, (5_000, resource.RLIM_INFINITY))
        for number in range(100):
            recorder.write("l", number)
            recorder.flush()
        full = recorder.dropped
        resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
        recorder.write("l", "room again")
        recorder.close()
        print(recorder.written, full)
        """,
        tmp_path,
    )
    out, _ = process.communicate(timeout=60)
    written, dropped = map(int, out.split())
    assert written + dropped == 101 and dropped > 10
    trace = read_trace(tmp_path)
    assert len(trace) == written and trace.keys[written - 1] == "room again"


def test_a_forked_child_records_by_itself(tmp_path: Path) -> None:
    process = in_process(
        """
        recorder = Recorder(folder)
        recorder.write("l", "before")
        child = os.fork()
        recorder.write("l", "child" if child == 0 else "parent")
        recorder.close()
        if child == 0:
            os._exit(0)
        os.waitpid(child, 0)
        """,
        tmp_path,
    )
    process.communicate(timeout=60)
    assert sorted(row["key"] for row in rows(tmp_path)) == ["before", "child", "parent"]
    assert len(list(tmp_path.iterdir())) == 2


def test_forked_children_have_names_of_their_own(tmp_path: Path) -> None:
    in_process(
        """
        recorder = Recorder(folder, node="quay-1")
        children = []
        for _ in range(2):
            child = os.fork()
            if child == 0:
                with recorder.scope():
                    recorder.write("l", "a")
                recorder.close()
                os._exit(0)
            children.append(child)
        for child in children:
            os.waitpid(child, 0)
        with recorder.scope():
            recorder.write("l", "a")
        recorder.close()
        """,
        tmp_path,
    ).communicate(timeout=60)
    found = rows(tmp_path)
    assert len({row["node"] for row in found}) == len({row["scope"] for row in found}) == 3
    assert all(row["node"].startswith("quay-1") for row in found)


def test_an_idle_recorder_leaves_the_folder_readable(tmp_path: Path) -> None:
    """The parent of a service that forks before it serves is such a case."""
    with Recorder(tmp_path):
        assert list(tmp_path.iterdir()) == []
        with Recorder(tmp_path) as working:
            working.write("l", "a")
        assert len(read_trace(tmp_path)) == 1


def test_a_closed_recorder_stays_closed_in_a_child(tmp_path: Path) -> None:
    process = in_process(
        """
        recorder = Recorder(folder)
        recorder.close()
        child = os.fork()
        if child == 0:
            recorder.write("l", "a")
            recorder.close()
            print(recorder.dropped, flush=True)
            os._exit(0)
        os.waitpid(child, 0)
        """,
        tmp_path,
    )
    said = process.communicate(timeout=60)[0]
    assert (said.strip(), list(tmp_path.iterdir())) == ("1", [])


def test_a_rotation_that_fails_says_nothing_in_the_service(tmp_path: Path) -> None:
    folder = tmp_path / "recorded"
    process = in_process(
        """
        recorder = Recorder(folder, rotate_at=1)
        recorder.write("l", "a")
        recorder.flush()
        os.rename(folder, folder + "-gone")
        recorder.write("l", "b")
        recorder.flush()
        recorder.close()
        print(recorder.written, recorder.dropped)
        """,
        folder,
        stderr=subprocess.PIPE,
    )
    assert process.communicate(timeout=60) == ("1 1\n", "")


def test_what_waits_is_written_at_the_end_of_the_program(tmp_path: Path) -> None:
    in_process('recorder = Recorder(folder, flush_every="1h")\nrecorder.write("l", 1)', tmp_path).communicate(
        timeout=60
    )
    assert len(rows(tmp_path)) == 1


def test_all_that_identifies_can_be_hashed(tmp_path: Path) -> None:
    with Recorder(tmp_path, node="quay-1", secret="a long secret") as recorder:
        load = recorder.reads("l", version=lambda _: "etag")(lambda sign: sign)
        with recorder.scope("page 7"):
            for sign in ("QAB123", "QAB123", "QAB124"):
                load(sign)
    text = "".join(path.read_text() for path in tmp_path.iterdir())
    assert not any(word in text for word in ("QAB", "etag", "quay", "page"))
    assert [len({row[name] for row in rows(tmp_path)}) for name in ("key", "version", "node", "scope")] == [2, 1, 1, 1]


def test_what_a_program_drops_is_noted(tmp_path: Path) -> None:
    with Recorder(tmp_path, node="quay-1") as recorder:
        recorder.drop("vessel", "QAB123")
    (row,) = rows(tmp_path)
    assert (row["op"], row["lookup"], row["key"], row["node"]) == ("drop", "vessel", "QAB123", "quay-1")
    assert read_trace(tmp_path).op.tolist() == [Op.DROP]


@pytest.mark.parametrize(
    "options",
    [
        *({"flush_every": "5"}, {"flush_every": "0s"}, {"rotate_at": "much"}, {"rotate_at": 0}, {"secret": "short"}),
        *({"secret": 5}, {"buffer": "x"}, {"buffer": 0}, {"buffer": True}, {"buffer": 1.5}, {"node": 5}),
    ],
)
def test_wrong_options_are_refused_when_it_is_made(tmp_path: Path, options: dict[str, Any]) -> None:
    with pytest.raises(RulesError) as raised:
        Recorder(tmp_path / "r", **options)
    assert not (tmp_path / "r").exists()
    assert all("\n" not in problem and len(problem.split()) > 5 for problem in raised.value.problems)


def test_all_wrong_options_are_said_at_once(tmp_path: Path) -> None:
    with pytest.raises(RulesError) as raised:
        Recorder(tmp_path, buffer="x", secret=5, node=7)  # type: ignore[arg-type]
    assert len(raised.value.problems) == 3


def test_a_recorder_that_nobody_closes_writes_what_it_has(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path, node="quay-1", flush_every="1h")
    recorder.write("vessel", "QAB123")
    recorder.write("vessel", "QZZ999")
    del recorder
    gc.collect()
    assert [row["key"] for row in rows(tmp_path)] == ["QAB123", "QZZ999"]


def test_a_recorder_that_could_not_be_made_leaves_nothing_behind(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "file").touch()
    for _ in range(3):
        with contextlib.suppress(TraceError):
            Recorder(tmp_path / "file")
    gc.collect()
    assert capsys.readouterr().err == ""


def test_a_full_disk_leaves_no_empty_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("vestigo.recording.parts.os.write", full)
    with Recorder(tmp_path) as recorder:
        recorder.write("vessel", "QAB123")
    assert (recorder.written, recorder.dropped, list(tmp_path.iterdir())) == (0, 1, [])


def test_a_folder_that_cannot_be_written_is_refused_at_once(tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    with pytest.raises(TraceError, match="cannot be written: File exists; choose another folder"):
        Recorder(tmp_path / "file")


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ({"a": [1, 2.5, None]}, {"a": [1, 2.5, None]}, True),
        ("Gull", "".join(["Gu", "ll"]), True),
        (b"x", b"y", False),
        ({"a": 1, "b": 2}, {"b": 2, "a": 1}, True),
        ([{"a": {"x": 1, "y": 2}}], [{"a": {"y": 2, "x": 1}}], True),
        ({f"gull {n}" for n in range(50)}, {f"gull {n}" for n in reversed(range(50))}, True),
        ({1: "a", "1": "b"}, {"1": "b", 1: "a"}, True),
        ({frozenset({n}) for n in range(9)}, {frozenset({n}) for n in reversed(range(9))}, True),
        ({frozenset({1}): 1, frozenset({2}): 2}, {frozenset({2}): 2, frozenset({1}): 1}, True),
        ({"a": 1}, [("a", 1)], False),
        ((1, "a"), (1, "b"), False),
    ],
)
def test_equal_plain_values_have_one_version(tmp_path: Path, one: object, other: object, same: bool) -> None:
    with Recorder(tmp_path) as recorder:
        load = recorder.reads("l", key=lambda _: "k")(lambda value: value)
        load(one)
        load(other)
        load(object())
    versions = [row.get("version") for row in rows(tmp_path)]
    assert (versions[0] == versions[1]) is same
    assert versions[2] is None


def test_the_recorder_loads_nothing_heavy() -> None:
    program = (
        "import sys, vestigo; vestigo.Recorder; print([m for m in ('numpy', 'pyarrow', 'pandas') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, env=os.environ)
    assert done.stdout == "[]\n"
