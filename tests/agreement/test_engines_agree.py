"""The native kernel counts what the reference engine counts, to the last digit."""

from dataclasses import fields

from hypothesis import example, given
from hypothesis import strategies as st

from tests.agreement.bad_days import bad_days
from tests.agreement.cases import Case, cases
from tests.agreement.worst import (
    CLEARED_WHILE_LOADING,
    COPIED_FROM_NO_CACHE,
    DROPPED_FROM_NO_CACHE,
    ENDED_TOGETHER,
    LATE_LOAD,
    TOLD_WHILE_LOADING,
)
from vestigo import Measures, Outcome, replay
from vestigo.engine import native
from vestigo.engine.job import job
from vestigo.engine.native.feed import RunOptions
from vestigo.engine.parts import Cut
from vestigo.outcome import Spans


def assert_same(native: Measures, reference: Measures, where: str) -> None:
    for field in fields(native):
        mine, theirs = getattr(native, field.name), getattr(reference, field.name)
        if isinstance(mine, Spans):
            assert mine.count == theirs.count, (where, field.name)
        elif field.name not in ("lookups", "slices", "name", "whose", "assumptions"):
            assert mine == theirs, (where, field.name, mine, theirs)
    for percentile in (50, 95, 99):
        for name in ("read_time", "answer_age", "stale_age"):
            mine, theirs = getattr(native, name)(percentile), getattr(reference, name)(percentile)
            assert abs(mine - theirs) <= 0.01 * theirs, (where, name, percentile, mine, theirs)


def assert_agree(native: Outcome, reference: Outcome) -> None:
    assert_same(native, reference, "all look-ups")
    assert native.lookups.keys() == reference.lookups.keys()
    for name, measures in native.lookups.items():
        assert_same(measures, reference.lookups[name], name)
    assert len(native.slices) == len(reference.slices)
    for number, (mine, theirs) in enumerate(zip(native.slices, reference.slices, strict=True)):
        assert_same(mine, theirs, f"slice {number}")


@given(cases() | bad_days(), st.integers(1, 30))
@example(LATE_LOAD, 1)
@example(CLEARED_WHILE_LOADING, 2)
@example(TOLD_WHILE_LOADING, 2)
@example(COPIED_FROM_NO_CACHE, 2)
@example(DROPPED_FROM_NO_CACHE, 2)
@example(ENDED_TOGETHER, 2)
def test_every_count_is_the_same_on_random_traces_and_rules_and_in_batches(case: Case, events: int) -> None:
    trace, plan = case.trace, case.plan
    whole = replay(trace, plan)
    assert_agree(whole, replay(trace, plan, engine="reference"))
    total, lookups, slices = native.run(job(trace, plan), options=RunOptions(batch_events=events))
    assert_agree(whole, Outcome(**total, lookups=lookups, slices=slices, marks=whole.marks))


@given(cases() | bad_days(), st.integers(1, 30), st.booleans(), st.booleans())
def test_the_sum_of_the_parts_is_the_whole(case: Case, events: int, full: bool, by_node: bool) -> None:
    trace, work = case.trace, job(case.trace, case.plan)
    expected = native.run(work, options=RunOptions(Cut(fewest_rows=len(trace) + 1), full))
    assert native.run(work, options=RunOptions(Cut(by_node, fewest_rows=0), full, events)) == expected
