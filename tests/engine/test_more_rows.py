"""Rows are put between those of a trace where they belong, and nothing else moves."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo import Trace, read_trace
from vestigo.engine.more_rows import with_rows
from vestigo.trace.trace import COLUMNS

ROWS = 7


@pytest.fixture(scope="module")
def trace() -> Trace:
    return read_trace({"at": range(ROWS), "key": [*"abcabcd"], "size": range(10, 10 + ROWS), "node": [*"nmnmnmn"]})


@given(st.lists(st.integers(0, ROWS)).map(sorted), st.data())
def test_each_column_is_as_numpy_inserts(trace: Trace, before: list[int], data: st.DataObject) -> None:
    chosen = data.draw(st.lists(st.integers(0, ROWS - 1), min_size=len(before), max_size=len(before)))
    more = {name: getattr(trace, name)[np.array(chosen, int)] for name in COLUMNS}
    both, were_there = with_rows(trace, more, np.array(before, int))
    for name in COLUMNS:
        old = getattr(trace, name)
        assert np.array_equal(getattr(both, name), np.insert(old, before, more[name]))
        assert np.array_equal(getattr(both, name)[were_there], old)
    assert (both.keys, both.nodes) == (trace.keys, trace.nodes)
