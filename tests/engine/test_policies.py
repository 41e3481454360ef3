"""Eviction policies against independent truths: textbook strings, theorems, Python's own cache."""

from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vestigo import Outcome, Rules, Trace, read_trace, replay, synth
from vestigo.demo import files
from vestigo.rules.eviction import POLICIES

TEXTBOOK = [7, 0, 1, 2, 0, 3, 0, 4, 2, 3, 0, 3, 2, 1, 2, 0, 1, 7, 0, 1]
FEW = settings(max_examples=20, deadline=None)

ANOMALY = [1, 2, 3, 4, 1, 2, 5, 1, 2, 3, 4, 5]


def reading(keys: Any) -> Trace:
    return read_trace({"at": np.arange(len(keys)), "key": np.asarray(keys)})


def outcome(keys: Any, frames: int, eviction: Any, engine: str = "native") -> Outcome:
    return replay(reading(keys), Rules(max_entries=frames, eviction=eviction), engine=engine)  # type: ignore[arg-type]


@pytest.mark.parametrize(("eviction", "misses"), [("fifo", 15), ("lru", 12), ("belady", 9)])
def test_the_textbooks_string_with_three_frames(engine: str, eviction: str, misses: int) -> None:
    assert outcome(TEXTBOOK, 3, eviction, engine).misses == misses


def test_beladys_anomaly(engine: str) -> None:
    assert [outcome(ANOMALY, frames, "fifo", engine).misses for frames in (3, 4)] == [9, 10]


@FEW
@given(st.lists(st.integers(0, 7), min_size=1, max_size=60), st.integers(1, 6))
def test_no_policy_has_more_hits_than_the_optimum(keys: list[int], frames: int) -> None:
    best = outcome(keys, frames, "belady").hits
    for eviction in POLICIES:
        assert outcome(keys, frames, eviction).hits <= best, eviction


@FEW
@given(st.lists(st.integers(0, 7), min_size=1, max_size=60))
def test_more_room_never_costs_a_stack_policy_hits(keys: list[int]) -> None:
    for eviction in ("lru", "mru", "belady"):
        hits = [outcome(keys, frames, eviction).hits for frames in range(1, 9)]
        assert hits == sorted(hits), eviction


@FEW
@given(st.lists(st.integers(0, 4), min_size=1, max_size=40))
def test_with_room_for_all_every_policy_is_alike(keys: list[int]) -> None:
    assert {outcome(keys, 5, eviction).hits for eviction in POLICIES} == {len(keys) - len(set(keys))}


@pytest.mark.parametrize("skew", [0.0, 0.9])
def test_fifo_and_random_are_alike_in_the_long_run_under_independent_reads(skew: float) -> None:
    """E. Gelenbe, "A unified approach to the evaluation of a class of replacement algorithms", 1973."""
    trace = synth(400_000, keys=200, skew=skew, cost="0s")
    fifo, random = (replay(trace, Rules(max_entries=50, eviction=name)).hit_rate for name in ("fifo", "random"))
    assert fifo == pytest.approx(random, abs=0.004)


@FEW
@given(st.integers(1, 400))
def test_pythons_own_cache_counts_the_same_on_the_demos_keys(demo_keys: list[int], frames: int) -> None:
    cached = lru_cache(frames)(lambda key: key)
    for key in demo_keys:
        cached(key)
    ours = outcome(demo_keys, frames, "lru")
    assert (ours.hits, ours.misses) == cached.cache_info()[:2]


@pytest.fixture(scope="module")
def demo_keys(tmp_path_factory: pytest.TempPathFactory) -> list[int]:
    path, _ = files.write_demo(tmp_path_factory.mktemp("demo"))
    trace = read_trace(path)
    keys: list[int] = trace.key[(trace.op == 0)][:4000].tolist()
    return keys


def test_a_scan_passes_those_that_guard_against_it() -> None:
    """Twenty keys are read all the time, and sometimes forty others, once each."""
    often = list(range(20)) * 3
    keys = [key for turn in range(30) for key in [*often, *range(1000 + turn * 40, 1040 + turn * 40)]]
    lru = outcome(keys, 40, "lru").hits
    for eviction in ("lfu", "lru-k", "slru", "2q", "arc", "lirs", "sieve", "s3-fifo", "w-tinylfu"):
        assert outcome(keys, 40, eviction).hits > lru, eviction


def test_going_round_and_round_serves_the_most_recently_used() -> None:
    keys = list(range(12)) * 20
    assert outcome(keys, 10, "lru").hits == 0
    assert outcome(keys, 10, "mru").hits > 150


def test_gdsf_keeps_what_is_small_and_dear(engine: str) -> None:
    trace = read_trace(
        {"at": [0, 10, 20, 30], "key": ["small", "large", "new", "small"], "size": [10, 900, 500, 10], "cost": [5] * 4}
    )
    hits = {
        name: replay(trace, Rules(max_bytes=1000, entry_overhead=0, eviction=name), engine=engine).hits  # type: ignore[arg-type]
        for name in ("lru", "gdsf")
    }
    assert hits == {"lru": 0, "gdsf": 1}


def test_a_seed_changes_what_random_takes_and_the_same_seed_does_not() -> None:
    keys = (np.arange(3000) * 7919) % 61
    hits = [outcome(keys, 30, f"random seed={seed}").hits for seed in (1, 1, 2)]
    assert hits[0] == hits[1] != hits[2]
