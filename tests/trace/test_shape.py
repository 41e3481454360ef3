"""A part, a sample, another pace, several together: each is a trace that replays like what it stands for."""

import dataclasses
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given

from tests.agreement.cases import Case, cases
from vestigo import (
    Duration,
    Rules,
    RulesError,
    Trace,
    UnknownName,
    read_trace,
    replay,
    shape,
    synth,
    write_trace,
)
from vestigo.trace import Op
from vestigo.trace.columns import MISSING

SECOND = 10**9


@pytest.fixture
def trace() -> Trace:
    return read_trace(
        {
            "at": [0, 1 * SECOND, 2 * SECOND, 3 * SECOND, 4 * SECOND],
            "op": ["read", "write", "read", "clear", "read"],
            "lookup": ["tide", "berth", "berth", None, "tide"],
            "key": ["n/1", "n/1", "s/2", None, "n/1"],
            "version": ["v1", "v2", "v3", None, "v1"],
            "scope": ["p", None, "q", None, "q"],
            "node": ["east", "west", "west", None, "east"],
        }
    )


def whole(trace: Trace) -> None:
    """Ids are dense, by first appearance, and point to what is there."""
    for ids, names in (
        (trace.key, trace.keys),
        (trace.lookup, trace.lookups),
        (trace.node, trace.nodes),
        (trace.version, trace.versions),
        (trace.scope, trace.scopes),
    ):
        there = ids[ids >= 0]
        firsts = there[np.sort(np.unique(there, return_index=True)[1])]
        assert firsts.tolist() == list(range(len(names)))
    keyed = trace.op <= Op.REMOVE
    assert np.array_equal(trace.key_lookup[trace.key[keyed]], trace.lookup[keyed])


@pytest.mark.parametrize(
    ("begin", "end", "at"),
    [
        (None, None, [0, 1, 2, 3, 4]),
        ("1s", "3s", [1, 2]),
        (Duration.parse("1s"), 3 * SECOND, [1, 2]),
        ("1970-01-01T01:00:02+01:00", None, [2, 3, 4]),
        (datetime(1970, 1, 1, 0, 0, 3, tzinfo=UTC), None, [3, 4]),
    ],
)
def test_a_stretch_of_time(trace: Trace, begin: shape.Moment, end: shape.Moment, at: list[int]) -> None:
    part = shape.between(trace, begin, end)
    assert (part.at // SECOND).tolist() == at
    whole(part)


def test_what_is_no_moment_is_refused(trace: Trace) -> None:
    for wrong in ("noon", "5 moons", "2026-03-02T06:00:00"):
        with pytest.raises(RulesError, match=r"begin: .* is (not a time|a time without an offset); write a duration"):
            shape.between(trace, wrong)
    with pytest.raises(RulesError, match="end: 1s is before 3s"):
        shape.between(trace, "3s", "1s")
    with pytest.raises(
        RulesError, match=r"begin: 1767225600000 counts ns .* if it counts ms, write 1767225600000 \* 1000000"
    ):
        shape.between(trace, 1767225600000)
    assert shape.between(trace, "8h").notes == ("table: no event is between these times, so nothing is left",)


def test_look_ups_nodes_and_keys(trace: Trace) -> None:
    part = shape.only(trace, lookups=["berth"])
    assert part.lookups == ("berth",)
    assert part.op.tolist() == [Op.WRITE, Op.READ, Op.CLEAR]
    assert list(part.versions[:]) == ["v2", "v3"]
    whole(part)
    assert shape.only(trace, nodes=["east"]).op.tolist() == [Op.READ, Op.CLEAR, Op.READ]
    part = shape.only(trace, keys="n/{}")
    assert len(part) == 4 and set(part.keys[:]) == {"n/1"}
    whole(part)
    with pytest.raises(UnknownName, match="look-up 'tied' is unknown; did you mean 'tide'"):
        shape.only(trace, lookups=["tied"])


def test_a_sample_keeps_all_events_of_its_keys() -> None:
    trace = synth(20_000, keys=2_000, skew=0.0, seed=3)
    part = shape.sampled(trace, "25%", seed=1)
    whole(part)
    counts = dict(zip(*np.unique(np.array(trace.keys[:])[trace.key], return_counts=True), strict=True))
    kept = dict(zip(*np.unique(np.array(part.keys[:])[part.key], return_counts=True), strict=True))
    assert kept == {key: counts[key] for key in kept}
    assert 0.2 < len(part.keys) / len(trace.keys) < 0.3
    again = shape.sampled(shape.between(trace, "10s"), "25%", seed=1)
    assert set(again.keys[:]) <= set(part.keys[:])
    assert set(shape.sampled(trace, "25%", seed=2).keys[:]) != set(part.keys[:])
    assert len(shape.sampled(trace, "100%")) == len(trace)
    for wrong in ("0%", "150%", 0.5):
        with pytest.raises(RulesError, match="sample: "):
            shape.sampled(trace, wrong)


@pytest.mark.parametrize(
    ("factor", "at"), [(2, [0, 0.5, 1, 1.5, 2]), (0.1, [0, 10, 20, 30, 40]), (3, [0, 1 / 3, 2 / 3, 1, 4 / 3])]
)
def test_time_runs_faster_or_slower(trace: Trace, factor: float, at: list[float]) -> None:
    assert shape.faster(trace, factor).at.tolist() == [int(one * SECOND) for one in at]


def test_a_pace_that_is_none_is_refused(trace: Trace) -> None:
    for wrong in (0, -1, float("inf"), float("nan")):
        with pytest.raises(RulesError, match="is not a number above 0"):
            shape.faster(trace, wrong)
    slow = shape.faster(trace, 1e-6)
    with pytest.raises(RulesError, match="past the year 2100"):
        shape.faster(slow, 1e-6)


def test_parts_merged_are_the_whole(trace: Trace) -> None:
    parts = [
        shape.only(trace, nodes=["east"]),
        shape.between(shape.only(trace, nodes=["west"]), None, "1970-01-01T00:00:03Z"),
    ]
    merged = shape.merged(parts)
    assert merged.to_pandas().equals(trace.to_pandas())
    whole(merged)
    assert replay(merged, Rules()).to_dict() == replay(trace, Rules()).to_dict()


def test_what_is_but_told_apart_stays_apart_when_merged(trace: Trace) -> None:
    numbered = dataclasses.replace(trace, versions=(), scopes=())
    merged = shape.merged([numbered, numbered])
    assert len(merged.versions) == 2 * len(trace.versions)
    assert len(merged.scopes) == 2 * len(trace.scopes)
    whole(merged)


def test_anonymous_traces_merged_are_the_anonymous_whole(trace: Trace, tmp_path: Path) -> None:
    """Whether they are merged at once, or written before."""
    halves = [shape.between(trace, None, 2 * SECOND), shape.between(trace, 2 * SECOND)]
    hidden = [shape.anonymised(half, "a secret") for half in halves]
    for number, one in enumerate(hidden):
        write_trace(one, tmp_path / f"{number}.arrow")
    written = [read_trace(tmp_path / f"{number}.arrow") for number in range(2)]
    expected = shape.anonymised(trace, "a secret").to_pandas()
    for parts in (hidden, written):
        assert shape.merged(parts).to_pandas().equals(expected)
    others = shape.merged([hidden[0], shape.anonymised(halves[1], "another secret")])
    assert len(others.nodes) == len(hidden[0].nodes) + len(hidden[1].nodes)


def test_an_anonymous_trace_tells_no_names_and_replays_the_same(trace: Trace) -> None:
    hidden = shape.anonymised(trace, "a secret")
    assert replay(hidden, Rules(max_entries=1)).hits == replay(trace, Rules(max_entries=1)).hits
    told = repr(hidden.to_pandas().to_dict()) + repr(hidden)
    assert not any(name in told for name in ("n/1", "s/2", "v1", "'p'", "east", "west"))
    assert len(set(hidden.nodes)) == 2
    assert hidden.keys[0] == hidden.keys[1] != hidden.keys[2]
    assert (
        hidden.keys[:] == shape.anonymised(trace, b"a secret").keys[:] != shape.anonymised(trace, "another one").keys[:]
    )
    with pytest.raises(RulesError, match="less than 8 bytes"):
        shape.anonymised(trace, "short")


def test_an_empty_trace_can_be_shaped() -> None:
    empty = read_trace({"at": [], "key": []})
    for shaped in (
        shape.between(empty, "1s"),
        shape.sampled(empty, "50%"),
        shape.faster(empty, 2),
        shape.only(empty, keys="{}"),
    ):
        assert len(shaped) == 0
    assert len(shape.merged([empty, empty])) == 0


def test_what_a_trace_holds_at_all() -> None:
    trace = read_trace(
        {
            "at": [1, 2, 3, 4],
            "op": ["read", "write", "clear", "read"],
            "key": ["a", "a", None, "b"],
            "size": [5, None, None, 900],
            "cost": [0, 0, 0, 0],
        }
    )
    assert trace.ops == {Op.READ, Op.WRITE, Op.CLEAR}
    assert (trace.size_range, trace.cost_range) == ((MISSING, 900), (0, 0))
    part = shape.between(trace, 4)
    assert (part.ops, part.size_range) == ({Op.READ}, (900, 900))  # its own, not those of the whole
    nothing = shape.between(trace, 9)
    assert (nothing.ops, nothing.size_range, nothing.cost_range) == (frozenset(), (0, 0), (0, 0))


@given(cases())
def test_what_a_trace_holds_is_what_its_rows_say_and_its_blocks_together(case: Case) -> None:
    trace = case.trace
    assert trace.ops == {Op(code) for code in trace.op.tolist()}
    assert trace.size_range == (min(trace.size.tolist()), max(trace.size.tolist()))
    assert trace.cost_range == (min(trace.cost.tolist()), max(trace.cost.tolist()))
    blocks = trace.blocks(7)
    assert frozenset().union(*(block.ops for block in blocks)) == trace.ops
    assert min(block.size_range.least for block in blocks) == trace.size_range.least
    assert max(block.cost_range.most for block in blocks) == trace.cost_range.most
