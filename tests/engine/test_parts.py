"""A replay is the sum of its parts, and what is known of a part is not replayed again."""

import gc
from collections.abc import Sequence
from pathlib import Path
from threading import Barrier, Thread
from typing import NamedTuple

import pytest

from tests.demo.tended import tended
from vestigo import Plan, Rules, Trace, read_plan, read_trace, replay, synth
from vestigo.choosing.results import kept_of, replayed, split_at
from vestigo.compiled import kernel
from vestigo.demo import files
from vestigo.engine import known_parts as known_module
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.known_parts import KeptResults, KnownParts
from vestigo.engine.native import counted
from vestigo.engine.native.feed import Fed, RunOptions
from vestigo.engine.native.feed import counted as counted_by_kernel
from vestigo.engine.native.sheets import SheetReader
from vestigo.engine.parts import Cut, shares, whole
from vestigo.engine.replay import run
from vestigo.outcome import Measures
from vestigo.prepared import memory

AS_ONE = RunOptions(Cut(fewest_rows=2**40))
FINEST = Cut(by_node=True, fewest_rows=0)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Trace, Plan]:
    trace, plan = files.write_demo(tmp_path_factory.mktemp("demo"))
    return read_trace(trace), read_plan(plan)


@pytest.mark.parametrize("name", ["today", "tended"])
@pytest.mark.parametrize("by_node", [False, True])
def test_the_demo_in_parts_is_the_whole_with_every_slice_and_percentile(
    demo: tuple[Trace, Plan], name: str, by_node: bool
) -> None:
    trace, plan = demo
    work = job(trace, tended(plan) if name == "tended" else plan)
    assert native.run(work, options=RunOptions(Cut(by_node, 0))) == native.run(work, options=AS_ONE)


@pytest.mark.parametrize("name", ["today", "tended"])
def test_two_groups_of_slices_tell_what_their_slices_do(demo: tuple[Trace, Plan], name: str) -> None:
    trace, plan = demo
    work = job(trace, tended(plan) if name == "tended" else plan)
    parts, slices = shares(work), work.slicing.most
    numbers, lookups = [list(share.part.lookups) for share in parts], len(trace.lookups)

    def halves(counted: Sequence[kernel.Counted], of: Sequence[list[int]], until: int) -> tuple[Measures, Measures]:
        return SheetReader(work).halves(kernel.sum(list(counted), list(of), lookups, until), until)

    by_slice = [counted_by_kernel([Fed(work, share)], keeps_course=True)[0] for share in parts]
    for until in (1, slices // 2, slices - 1, slices, slices + 5):
        told = [counted_by_kernel([Fed(work, share, until=until)], keeps_course=True)[0] for share in parts]
        assert sum(one.bytes for one in told) < sum(one.bytes for one in by_slice)
        assert halves(told, numbers, until) == halves(by_slice, numbers, until)
        for own, sliced, of in zip(told, by_slice, numbers, strict=True):
            assert halves([own], [of], until) == halves([sliced], [of], until)


def test_pools_are_parts_and_nodes_too_if_they_share_nothing(demo: tuple[Trace, Plan]) -> None:
    trace, plan = demo
    by_pool, by_node = (shares(job(trace, plan), Cut(by_node)) for by_node in (False, True))
    assert len(by_pool) == len(trace.lookups)
    assert len(by_node) == len(trace.lookups) * len(trace.nodes)
    assert [share.rows for share in by_pool] == sorted((share.rows for share in by_pool), reverse=True)
    assert sum(share.rows for share in by_node) == sum(share.rows for share in by_pool)
    tells = job(trace, Plan(Rules(on_write="drop", tell_nodes="drop")))
    assert len(shares(tells, Cut(by_node=True))) == len(trace.lookups)


def test_plans_with_other_groups_of_keys_or_nodes_do_not_share_what_is_known_of_entries() -> None:
    def trace() -> Trace:
        return synth(reads=2000, keys=50, nodes=2, seed=1)

    same = trace()
    lookup = same.lookups[0]
    for per in ("node", "all", "node"):
        rules = Rules(max_entries=10, per=per)
        of_some = {lookup: {str(same.keys[0]): {"absolute": "1s"}}}
        for plan in (Plan(rules), Plan(rules, keys=of_some), Plan(rules)):
            for full in (False, True):
                options = RunOptions(Cut(by_node=True, fewest_rows=0), full)
                assert native.run(job(same, plan), options=options) == native.run(job(trace(), plan), options=AS_ONE)


def test_a_trace_that_names_no_nodes_is_not_cut_by_node() -> None:
    trace = synth(reads=1000, keys=50, seed=1)
    (only,) = shares(job(trace, Plan()), FINEST)
    assert only.part.node is None


def test_look_ups_that_share_a_pool_are_one_part(demo: tuple[Trace, Plan]) -> None:
    trace, _ = demo
    few = list(trace.lookups[:3])
    work = job(trace, Plan(pools={"some": {"lookups": few, "max_entries": 100}}))
    assert len(shares(work)) == len(trace.lookups) - 2
    assert native.run(work) == native.run(work, options=AS_ONE)


def test_many_pools_are_packed_into_few_parts() -> None:
    trace = read_trace({"at": range(400), "key": [1] * 400, "lookup": [f"x{number % 200}" for number in range(400)]})
    work = job(trace, Plan())
    assert len(shares(work, FINEST)) == 64
    assert native.run(work, options=RunOptions(FINEST)) == native.run(work, options=AS_ONE)


def test_a_short_trace_is_one_part() -> None:
    trace = read_trace({"at": [0, 1], "key": ["a", "b"], "lookup": ["x", "y"]})
    work = job(trace, Plan())
    (only,) = shares(work)
    assert only.part == whole(work).part


def test_a_trace_that_is_too_long_to_be_kept_is_one_part(monkeypatch: pytest.MonkeyPatch) -> None:
    trace = _three_lookups()
    work = job(trace, Plan(Rules(max_entries=50, absolute="1m")))
    expected = native.run(work)
    monkeypatch.setattr(memory, "KEPT_EVENTS", 1000)
    monkeypatch.setattr(memory, "BATCH_EVENTS", 700)
    anew = _three_lookups()
    work = job(anew, Plan(Rules(max_entries=50, absolute="1m")))
    assert len(shares(work, FINEST)) == 1
    assert native.run(work, KnownParts()) == expected


def test_only_parts_that_are_new_are_replayed(monkeypatch: pytest.MonkeyPatch) -> None:
    replayed = []
    count = counted.counted
    monkeypatch.setattr(
        counted,
        "counted",
        lambda feds, *more: replayed.extend(fed.wanted.share.part.lookups for fed in feds) or count(feds, *more),
    )
    trace = _three_lookups()
    plan = Plan(Rules(max_entries=50))
    first = replay(trace, plan)
    assert sorted(replayed) == [(0,), (1,), (2,)]
    assert replay(trace, plan).to_dict() == first.to_dict()
    assert len(replayed) == 3
    changed = plan.changed({"lookup.l1.absolute": "5s"})
    assert replay(trace, changed).to_dict() == replay(_three_lookups(), changed).to_dict() != first.to_dict()
    assert replayed[3] == (trace.lookups.index("l1"),)


def test_parts_with_the_same_rows_are_replayed_from_the_same_batches(monkeypatch: pytest.MonkeyPatch) -> None:
    plans = [Plan(Rules(max_entries=entries)) for entries in (10, 20, 30, 40, 50)]
    expected = [replay(_three_lookups(), plan).to_dict() for plan in plans]
    monkeypatch.setattr(memory, "BATCH_EVENTS", 700)
    made_for: list[int] = []
    count = counted.counted
    monkeypatch.setattr(counted, "counted", lambda feds, *more: made_for.append(len(feds)) or count(feds, *more))
    trace = _three_lookups()
    works = native.works_of([job(trace, plan) for plan in plans])
    assert len(works) == 6  # four of the five plans at the same time, and the fifth, for each of three parts
    for work in works:
        work()
    assert sorted(made_for) == [1, 1, 1, 4, 4, 4]
    assert [replay(trace, plan).to_dict() for plan in plans] == expected
    assert len(made_for) == 6


@pytest.mark.parametrize("seed", [1, 2])
def test_what_a_candidate_keeps_is_that_of_a_replay_of_its_own(seed: int) -> None:
    """Also where what stands for missing costs differs, which each look-up states for itself."""
    bare = _three_lookups(seed).to_pandas().drop(columns="cost")
    trace, plan = read_trace(bare), Plan(Rules(max_entries=40, absolute="2m", jitter="20%"))
    changes = [
        {"lookup.l1.assume_cost": "9ms"},
        {"lookup.l2.max_entries": 9},
        {"lookup.l0.assume_cost": "1s", "lookup.l2.max_entries": 9},
        {"rules.overlap": "join"},
    ]
    for changed in changes:
        candidate = plan.changed(changed)
        split = split_at(job(trace, candidate), 0.4)
        kept = replayed(job(trace, candidate), "x", split)
        anew = read_trace(bare)
        assert kept == kept_of(run(job(anew, candidate), "x"), split)


def _three_lookups(seed: int = 3) -> Trace:
    trace = synth(reads=60_000, keys=900, seed=seed).to_pandas()
    return read_trace(trace.assign(lookup=[f"l{key % 3}" for key in trace["key"].astype("category").cat.codes]))


class Kept(NamedTuple):
    name: str
    bytes: int = 40


def test_what_was_not_asked_for_the_longest_is_forgotten() -> None:
    knows, made = KeptResults(most_bytes=100), []

    def get(name: str) -> Kept:
        return knows.get(name, lambda: made.append(name) or Kept(name))

    for name in ("a", "b", "a", "c", "a", "b"):  # c takes the place of b
        assert get(name) == Kept(name)
    assert made == ["a", "b", "c", "b"]


def test_what_is_held_is_forgotten_only_afterwards() -> None:
    knows, made = KeptResults(most_bytes=100), []

    def get(name: str) -> Kept:
        return knows.get(name, lambda: made.append(name) or Kept(name))

    with knows.held():
        for name in ("a", "b", "c", "a"):
            get(name)
        assert all(knows.has(name) for name in ("a", "b", "c"))
    assert made == ["a", "b", "c"]
    assert not knows.has("b") and knows.has("c") and knows.has("a")


def test_what_is_known_of_a_trace_is_forgotten_with_it() -> None:
    shelf, trace = known_module._RESULTS, _three_lookups()
    before = shelf._bytes
    replay(trace, Rules())
    assert shelf._bytes > before
    del trace
    gc.collect()
    assert shelf._bytes <= before


def test_of_threads_that_ask_for_the_same_one_makes_it() -> None:
    knows, made, found, together = KeptResults(1000), [], [], Barrier(4)

    def ask() -> None:
        together.wait()
        found.append(knows.get("a", lambda: made.append("a") or Kept("a")))

    threads = [Thread(target=ask) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert made == ["a"]
    assert found == [Kept("a")] * 4


def test_what_fails_is_not_known(tmp_path: Path) -> None:
    knows = KeptResults(1000)
    with pytest.raises(FileNotFoundError):
        knows.get("a", (tmp_path / "none").stat)  # type: ignore[arg-type, return-value]
    assert knows.get("a", lambda: Kept("a")) == Kept("a")
