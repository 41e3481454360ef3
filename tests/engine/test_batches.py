"""A trace longer than a batch has the same counts in any number of batches, and needs memory only for its keys."""

import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.demo.tended import tended
from tests.telling import told
from vestigo import Outcome, Plan, Rules, Trace, TraceError, read_plan, read_trace, replay, write_trace
from vestigo.demo import files
from vestigo.engine import native
from vestigo.engine.context import assumptions, whose_cache
from vestigo.engine.job import job, marks
from vestigo.engine.native.feed import RunOptions
from vestigo.prepared import batches, memory
from vestigo.prepared.fill import assume
from vestigo.prepared.median import lower_medians
from vestigo.prepared.part import everything


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Trace, Plan]:
    trace, plan = files.write_demo(tmp_path_factory.mktemp("demo"))
    return read_trace(trace), read_plan(plan)


def in_batches(trace: Trace, plan: Plan, number: int) -> Outcome:
    work = job(trace, plan)
    total, lookups, slices = native.run(work, options=RunOptions(batch_events=math.ceil(len(trace) / number)))
    said = {"whose": whose_cache(trace, work.groups), "assumptions": assumptions(work)}
    return Outcome(**total, lookups=lookups, slices=slices, marks=marks(trace), name="replay", **said)


@pytest.mark.parametrize("name", ["today", "tended"])
def test_one_and_seven_and_a_thousand_batches_count_the_same(demo: tuple[Trace, Plan], name: str) -> None:
    trace, plan = demo
    settings = plan if name == "today" else tended(plan)
    expected = replay(trace, settings, name="replay").to_dict()
    for number in (1, 7, 1000):
        assert in_batches(trace, settings, number).to_dict() == expected


@pytest.mark.parametrize(
    ("lines", "counted"),
    [
        # a load under way over two ends of batches is joined, and serves a hit when it is over
        (["0 read a cost=5", "1 read b cost=1", "3 read a cost=5", "6 read a cost=5"], (2, 1, 1)),
        # a restart in a later batch gives it up
        (["0 read a cost=5", "1 restart", "2 read a cost=9", "6 read a cost=9"], (2, 1, 0)),
        # a load that begins later and ends sooner does not take its place
        (["0 read a cost=9", "1 read b cost=1", "2 read b cost=1", "9 read a cost=9"], (2, 0, 2)),
    ],
)
def test_loads_under_way_go_on_in_the_next_batch(lines: list[str], counted: tuple[int, int, int]) -> None:
    trace, plan = told(*lines), Plan(Rules(overlap="join"))
    for number in (1, 2, 4):
        outcome = in_batches(trace, plan, number)
        assert (outcome.loads, outcome.joined, outcome.hits) == counted


def test_a_longer_trace_is_replayed_in_batches_and_not_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    trace = read_trace({"at": [0, 5, 10, 20], "key": ["a", "a", "b", "a"], "cost": [7, 7, 30, 7]})
    expected = replay(read_trace(trace.to_pandas()), Rules(overlap="join")).to_dict()
    monkeypatch.setattr(memory, "KEPT_EVENTS", 3)
    monkeypatch.setattr(memory, "BATCH_EVENTS", 2)
    assert len(list(batches.batches(trace, assume(trace, Plan()), everything(trace)))) == 2
    assert replay(trace, Rules(overlap="join")).to_dict() == expected
    assert not any("batches" in str(what) for what in trace.kept)


def test_what_is_made_of_a_large_trace_is_kept_from_the_third_replay_on(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "BATCH_EVENTS", 2)
    table = {"at": [0, 5, 10, 20], "key": ["a", "b", "b", "a"]}
    trace = read_trace(table)
    for entries in (1, 2, 3, 4):
        assert replay(trace, Rules(max_entries=entries)) == replay(read_trace(table), Rules(max_entries=entries))
        assert any("batches" in str(what) for what in trace.kept) == (entries > 2)


MOST_MEMORY = """
import sys
sys.path.insert(0, "benchmarks")
from memory import watched_replay
from vestigo.prepared import batches, memory
memory.KEPT_EVENTS, memory.BATCH_EVENTS = 0, 1 << 17
watched_replay(sys.argv[1])
"""


def test_memory_grows_with_keys_and_not_with_events(tmp_path: Path) -> None:
    most = []
    for events in (500_000, 4_000_000):
        key = np.arange(events) % 10_007
        cost = np.full(events, 20_000_000)
        write_trace(read_trace({"at": np.arange(events) * 1000, "key": key, "cost": cost}), tmp_path / "t.arrow")
        command = [sys.executable, "-c", MOST_MEMORY, str(tmp_path / "t.arrow")]
        told = subprocess.run(command, capture_output=True, text=True, check=True, cwd=Path(__file__).parents[2])
        most.append(float(told.stdout.split()[3]))
    assert most[1] < most[0] + 8  # MiB; one more byte an event would be 3, and the columns are 40


def test_costs_that_do_not_add_up_are_found_in_whatever_batch(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "KEPT_EVENTS", 1)
    monkeypatch.setattr(memory, "BATCH_EVENTS", 1)
    trace = read_trace({"at": [0, 5], "key": ["a", "b"], "cost": [2 * 10**18, 2 * 10**18]})
    with pytest.raises(TraceError, match="the costs add up to more than 73 years"):
        replay(trace, Rules())


@given(
    st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2**62) | st.integers(0, 9)), max_size=50), st.integers(1, 9)
)
def test_medians_are_those_of_sorted_values(rows: list[tuple[int, int]], step: int) -> None:
    group = np.array([row[0] for row in rows], np.int32)
    value = np.array([row[1] for row in rows], np.int64)
    parts = [(group[i : i + step], value[i : i + step]) for i in range(0, len(rows), step)]
    medians = lower_medians(lambda: parts, 4, int(value.max(initial=0)), without=-1)
    for number, median in enumerate(medians.tolist()):
        own = sorted(value[group == number].tolist())
        assert median == (own[(len(own) - 1) // 2] if own else -1)
