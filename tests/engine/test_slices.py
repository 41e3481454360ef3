"""How time is sliced, and that every slice counts what happened in it."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from tests.telling import replayed, told
from vestigo import Rules, Trace, read_trace, replay
from vestigo.prepared.counting import first_counted, slicing
from vestigo.units import SECOND, Duration


def spanning(seconds: float) -> Trace:
    return told("7 read a", f"{7 + seconds} read a")


@pytest.mark.parametrize(
    ("seconds", "width"),
    [(0, 1), (150, 1), (250, 2), (3600, 30), (86_400, 600), (2 * 86_400, 900), (365 * 86_400, 172_800)],
)
def test_the_width_is_the_finest_round_one_that_gives_at_most_200(seconds: float, width: int) -> None:
    found = slicing(spanning(seconds), 0)
    assert found.width_ns == width * SECOND
    assert found.most <= 200
    assert found.origin_ns % found.width_ns == 0


def test_one_slice_can_be_asked_for() -> None:
    for seconds in (0, 100, 86_400, 300 * 86_400):
        found = slicing(spanning(seconds), 0, 1)
        assert found.most == 1
        assert found.origin_ns <= 7 * SECOND
        assert found.origin_ns + found.width_ns > (7 + seconds) * SECOND


def test_slices_begin_on_the_clock_and_the_first_with_the_first_counted_event(engine: str) -> None:
    outcome = replayed(engine, "90.5 read a\n 91 read b\n 93.25 read a")
    assert [piece.begins_ns for piece in outcome.slices] == [90_500_000_000, 91 * SECOND, 92 * SECOND, 93 * SECOND]
    assert [piece.ends_ns for piece in outcome.slices][-1] == 93_250_000_000
    assert [piece.reads for piece in outcome.slices] == [1, 1, 0, 1]


def told_of(engine: str, what: Callable[[Any], Any], lines: str, **rules: Any) -> list[Any]:
    return [what(piece) for piece in replayed(engine, lines, **rules).slices]


def test_a_load_is_counted_where_it_began_and_its_entry_where_it_ends(engine: str) -> None:
    lines = "0 read a cost=1.5 size=8\n 3 read a"
    assert told_of(engine, lambda piece: piece.loads, lines) == [1, 0, 0, 0]
    assert told_of(engine, lambda piece: piece.memory_peak, lines) == [0, 8, 8, 8]
    assert told_of(engine, lambda piece: piece.memory_mean, lines) == [0, 4, 8, 0]


def test_idle_memory_is_spread_over_the_slices_it_lasted(engine: str) -> None:
    lines = "0 read a size=8\n 1.5 read a\n 4 read b size=0\n 5 read b"
    assert told_of(engine, lambda piece: piece.idle_byte_ns, lines) == [0, 4 * SECOND, *[8 * SECOND] * 3, 0]


def test_stale_ages_and_the_longest_read_are_those_of_the_slice(engine: str) -> None:
    lines = "0 read a version=1 cost=0.25\n 1 write a\n 2.5 read a\n 3.75 read a"
    assert told_of(engine, lambda piece: piece.oldest_stale_ns, lines) == [0, 0, 1_500_000_000, 2_750_000_000]
    assert told_of(engine, lambda piece: piece.longest_read_ns, lines, hit_cost="1ms")[0] == 250_000_000
    assert told_of(engine, lambda piece: piece.longest_read_ns, lines, hit_cost="1ms")[2] == 1_000_000


@pytest.mark.parametrize("costs", [3, 5_000])
def test_the_spans_of_a_slice_are_those_of_the_reference(costs: int) -> None:
    """They are exact where few spans occurred so far, and within half a percent where many did."""
    random, reads = np.random.default_rng(4), 6_000
    at, lookup = np.sort(random.integers(0, 300 * SECOND, reads)), random.integers(0, 3, reads)
    cost = np.where(lookup == 0, 7, random.choice(random.integers(1, SECOND, costs), reads))
    version = at // (20 * SECOND)
    columns = {"at": at, "lookup": lookup.astype(str), "key": random.integers(0, 40, reads), "cost": cost}
    trace, rules = read_trace({**columns, "version": version}), Rules(max_entries=15, absolute="30s")
    native, reference = (replay(trace, rules, engine=one) for one in ("native", "reference"))
    for name in ("read_times", "answer_ages", "stale_ages"):
        for found, true in zip(native.slices, reference.slices, strict=True):
            mine, plain = getattr(found, name), getattr(true, name)
            assert mine.count == plain.count
            if name == "read_times" and costs == 3:
                assert mine.ns.tolist() == plain.ns.tolist() and mine.times.tolist() == plain.times.tolist()
            for share in (1, 50, 95, 100):
                assert mine.percentile(share) == pytest.approx(plain.percentile(share), rel=0.005, abs=1)
        assert sum(getattr(piece, name).count for piece in native.slices) == getattr(native, name).count > 0


def test_the_busiest_second_of_a_slice(engine: str) -> None:
    lines = "0 read a\n 0.5 read b\n 1 read c\n 2 read d"
    assert told_of(engine, lambda piece: piece.surge_second, lines) == [2, 1, 1]


def test_the_warm_up_ends_with_its_last_read_or_its_time() -> None:
    trace = told("0 read a", "1 write a", "2 read a", "2 write a", "3 read a")
    assert [first_counted(trace, reads) for reads in (0, 1, 2, 3, 4)] == [0, 1, 3, 5, 5]
    assert [first_counted(trace, Duration(ns)) for ns in (0, 1, 2 * SECOND, 9 * SECOND)] == [0, 1, 2, 5]
