"""What the native kernel tells of single reads and keys is what the reference engine tells."""

from collections.abc import Sequence

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st

from tests.agreement.bad_days import bad_days
from tests.agreement.cases import Case, cases
from tests.agreement.worst import CLEARED_WHILE_LOADING, LATE_LOAD, TOLD_WHILE_LOADING
from vestigo.engine import native, reference
from vestigo.engine.job import job
from vestigo.engine.native.feed import RunOptions
from vestigo.engine.parts import Cut
from vestigo.outcome.seen import Happening, Seen, Watching
from vestigo.trace import Op


def by_place(happenings: Sequence[Happening]) -> list[Happening]:
    """The log in order at each place."""
    return sorted(happenings, key=lambda one: (one.key, one.where))


def assert_same_seen(mine: Seen, theirs: Seen, reads: np.ndarray) -> None:
    assert mine.answers is not None and theirs.answers is not None
    for name in ("answer", "read_time_ns", "age_ns"):
        assert getattr(mine.answers, name)[reads].tolist() == getattr(theirs.answers, name)[reads].tolist(), name
    for name in ("stale_rows", "stale_ages_ns"):
        assert getattr(mine.answers, name).tolist() == getattr(theirs.answers, name).tolist(), name
    assert mine.keys is not None and theirs.keys is not None
    assert mine.keys.keys() == theirs.keys.keys()
    for name in mine.keys:
        assert mine.keys[name].tolist() == theirs.keys[name].tolist(), name
    assert by_place(mine.happenings) == by_place(theirs.happenings)


@given(cases() | bad_days(), st.integers(1, 30), st.booleans())
@example(LATE_LOAD, 1, True)
@example(CLEARED_WHILE_LOADING, 2, False)
@example(TOLD_WHILE_LOADING, 2, True)
def test_reads_keys_and_stories_are_the_same_on_random_traces_and_rules_and_in_batches(
    case: Case, events: int, all_keys: bool
) -> None:
    asked = job(case.trace, case.plan)
    trace = asked.trace
    keys = len(trace.keys)
    watching = Watching(reads=True, keys=True, chosen=tuple(range(0, keys, 1 if all_keys else 2)))
    reads = trace.op == Op.READ
    oracle = reference.watch(asked, watching)
    assert_same_seen(native.watch(asked, watching), oracle, reads)
    assert_same_seen(native.watch(asked, watching, options=RunOptions(batch_events=events)), oracle, reads)
    assert_same_seen(native.watch(asked, watching, options=RunOptions(full=True)), oracle, reads)
    in_parts = RunOptions(Cut(fewest_rows=0), batch_events=events)
    untold = native.watch(asked, watching._replace(chosen=()), options=in_parts)
    assert_same_seen(untold, oracle._replace(happenings=()), reads)
    for key in range(keys):
        story = native.watch(asked, Watching(chosen=(key,)), options=in_parts).happenings
        assert by_place(story) == by_place([one for one in oracle.happenings if one.key == key] if all_keys else story)
