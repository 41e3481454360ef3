"""Settings that must give the same as others, or at least as much, on any trace. One engine is enough to test this."""

import dataclasses
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

from tests.agreement.cases import Case, cases
from tests.agreement.worst import CLEARED_WHILE_LOADING, LATE_LOAD
from vestigo import Outcome, Plan, Pool, Rules, Trace, read_trace, replay, shape
from vestigo.choosing.most_hits import most_hits
from vestigo.trace import Op

COUNTS = (
    "hits",
    "joined",
    "misses",
    "stale_hits",
    "false_nulls",
    "loads",
    "evictions",
    "expirations",
    "drops",
    "refusals",
)


def counts(*outcomes: Outcome) -> dict[str, int]:
    """The counts, added up."""
    return {name: sum(getattr(outcome, name) for outcome in outcomes) for name in COUNTS}


def reads_of(case: Case) -> Trace:
    """Only the reads of a trace, so that no compartment learns a truth from another's rows."""
    trace = case.trace
    rows = trace.op == Op.READ
    assume(rows.any())
    kept = ("at", "op", "lookup", "key", "cost", "scope", "node", "force", "hit_cost")
    changed = {name: getattr(trace, name)[rows] for name in kept}
    gone = {name: np.full(rows.sum(), -1, getattr(trace, name).dtype) for name in ("found", "version")}
    size = np.maximum(trace.size[rows], 0)
    return dataclasses.replace(trace, **changed, **gone, size=size)


def of(trace: Trace, rows: np.ndarray) -> Trace:
    columns: dict[str, Any] = {
        field.name: getattr(trace, field.name)[rows]
        for field in dataclasses.fields(trace)
        if isinstance(getattr(trace, field.name), np.ndarray) and field.name != "key_lookup"
    }
    return dataclasses.replace(trace, **columns)


LIMITED = Rules(max_entries=2, absolute="5s", overlap="join", assume_cost="0s", eviction="sieve")


@given(cases(), st.sampled_from(["node", "scope"]))
@example(LATE_LOAD, "node")
@example(CLEARED_WHILE_LOADING, "scope")
def test_compartments_are_as_many_replays(case: Case, per: str) -> None:
    """This holds for readers. A load that ends after its compartment's last event stores its value in only one of the
    replays.
    """
    trace = reads_of(case)
    trace = dataclasses.replace(trace, cost=np.maximum(trace.cost, 0))
    owner = getattr(trace, per)
    together = replay(trace, LIMITED.model_copy(update={"per": per}))
    whole = LIMITED.model_copy(update={"per": "all"})
    apart = [replay(of(trace, owner == one), whole) for one in np.unique(owner)]
    for name in ("hits", "joined", "misses", "stale_hits", "false_nulls", "loads"):
        assert counts(together)[name] == counts(*apart)[name], name


@given(cases())
def test_room_without_limits_is_shared_without_a_difference(case: Case) -> None:
    trace = case.trace
    assume(len(trace.lookups) == 2)
    rules = Rules(absolute="5s", on_write="drop")
    shared = Plan(rules, pools={"all": Pool(lookups=trace.lookups)})
    assert counts(replay(trace, shared)) == counts(replay(trace, rules))


@given(cases())
def test_conditions_that_always_hold_and_pins_without_limits_make_no_difference(case: Case) -> None:
    plain = Rules(sliding="5s", on_write="replace", nulls="keep")
    more = Rules(sliding="5s", on_write="replace", nulls="keep", keep_if=["size >= 0 B", "key = {...}"], pin="{...}")
    assert counts(replay(case.trace, more)) == counts(replay(case.trace, plain))


@given(cases(), st.sampled_from(["prompt", "every 3s"]))
def test_collecting_what_expired_takes_no_hit_and_no_memory(case: Case, collect: str) -> None:
    kept = replay(case.trace, Rules(absolute="5s", sliding="2s", nulls="keep"))
    collected = replay(case.trace, Rules(absolute="5s", sliding="2s", nulls="keep", collect=collect))
    assert (collected.hits, collected.stale_hits, collected.loads) == (kept.hits, kept.stale_hits, kept.loads)
    assert collected.held_byte_ns <= kept.held_byte_ns
    assert collected.expirations >= kept.expirations


@given(cases(), st.lists(st.integers(0, 60), min_size=1, max_size=5))
def test_expiring_on_the_clock_is_clearing_then(case: Case, seconds: list[int]) -> None:
    """This holds if loads take no time. The causes differ."""
    trace = dataclasses.replace(case.trace, cost=np.zeros(len(case.trace), np.int64))
    begin = int(trace.at[0]) // 10**9
    at = [f"{np.datetime64(begin + second, 's')}Z" for second in seconds if begin + second > begin]
    assume(at)
    expired, cleared = replay(trace, Rules(absolute_at=at)), replay(trace, Rules(clear_at=at))
    assert (expired.hits, expired.loads) == (cleared.hits, cleared.loads)
    if not np.isin(trace.op, (Op.CLEAR, Op.RESTART)).any():  # these take what has expired and was not touched since
        assert expired.misses_by_cause["fixed_time"] == cleared.misses_by_cause["cleared"]


@given(cases())
def test_writes_that_are_copied_at_once_leave_nothing_stale(case: Case) -> None:
    """This holds if writes tell all changes."""
    trace = case.trace
    gone = np.full(len(trace), -1)
    told = dataclasses.replace(
        trace, version=gone.astype(np.int32), found=gone.astype(np.int8), cost=np.zeros(len(trace), np.int64)
    )
    rules = Rules(per="node", on_write="replace", tell_nodes="copy", nulls="keep")
    assert replay(told, rules).stale_hits == 0
    assert replay(told, Rules(per="node", on_write="drop", tell_nodes="drop")).stale_hits == 0


@given(cases())
def test_a_batch_changes_no_answer_and_takes_no_more_of_the_origin(case: Case) -> None:
    rules = Rules(max_entries=3, absolute="5s")
    alone, batched = replay(case.trace, rules), replay(case.trace, rules.model_copy(update={"batch": "3s"}))
    assert (alone.hits, alone.misses, alone.read_time_ns) == (batched.hits, batched.misses, batched.read_time_ns)
    assert batched.loads == alone.loads - batched.batched
    assert batched.origin_time_ns <= alone.origin_time_ns
    assert batched.surge_minute <= alone.surge_minute


@given(cases())
def test_every_outcome_balances(case: Case) -> None:
    outcome = replay(case.trace, case.plan)
    assert outcome.hits + outcome.joined + outcome.misses + outcome.failed == outcome.reads
    own_calls = outcome.misses - outcome.batched + outcome.background_loads
    assert own_calls <= outcome.loads <= own_calls + outcome.failed + outcome.served_on_failure
    assert outcome.loads == own_calls or outcome.origin_stated
    for name in (
        *COUNTS,
        "failed",
        "failed_loads",
        "served_on_failure",
        "slow_reads",
        "origin_wait_ns",
        "background_loads",
        "batched",
        "raced",
        "clears",
        "bytes_hit",
        "bytes_missed",
    ):
        parts = [getattr(one, name) for one in outcome.lookups.values()]
        assert getattr(outcome, name) == sum(parts), name
        assert getattr(outcome, name) == sum(getattr(one, name) for one in outcome.slices), name


@given(st.lists(st.integers(0, 4), min_size=1, max_size=12), st.integers(1, 3))
def test_the_bound_of_hits_is_no_less_than_the_best_that_can_be_done(keys: list[int], entries: int) -> None:
    trace = read_trace({"at": list(range(len(keys))), "key": keys})
    most = most_hits(trace, Plan(Rules(max_entries=entries)))
    assert best_by_trying(tuple(keys), entries) <= most <= len(keys) - len(set(keys))
    assert replay(trace, Rules(max_entries=entries, eviction="belady")).hits <= most


def best_by_trying(keys: tuple[int, ...], entries: int) -> int:
    """The most hits over all choices of what to keep at each step."""

    @cache
    def best(step: int, held: frozenset[int]) -> int:
        if step == len(keys):
            return 0
        key = keys[step]
        if key in held:
            return 1 + best(step + 1, held)
        ways = [held] + ([held | {key}] if len(held) < entries else [held - {one} | {key} for one in held])
        return max(best(step + 1, frozenset(way)) for way in ways)

    return best(0, frozenset())


@pytest.mark.parametrize("lifetime", ["1s", "7s"])
@pytest.mark.parametrize("kind", ["absolute", "sliding"])
def test_speeding_a_trace_and_its_lifetimes_up_makes_no_difference(kind: str, lifetime: str) -> None:
    trace = read_trace({"at": [n * n % 97 * 10**8 for n in range(400)], "key": [n % 13 for n in range(400)]})
    slow, quick = Rules(**{kind: lifetime}), Rules(**{kind: f"{int(lifetime[0]) * 500}ms"})
    assert counts(replay(trace, slow)) == counts(replay(shape.faster(trace, 2), quick))
