"""Long work on a trace can be stopped between its steps, and is refused if its result would not fit in memory."""

import threading
import time
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from tests.slowness import seconds
from vestigo import RulesError, WhatIf
from vestigo.engine import in_order, what_if
from vestigo.errors import GivenUp
from vestigo.stopping import Once, Stop, check, holding, stoppable


@given(st.lists(st.integers(-5, 5) | st.integers(-(2**62), 2**62), max_size=60), st.integers(1, 9))
def test_the_order_is_that_of_a_stable_sort(values: list[int], piece: int) -> None:
    column, before = np.array(values, np.int64), in_order.PIECE
    in_order.PIECE = piece
    try:
        order = in_order.stable_order(column)
        assert order.tolist() == np.argsort(column, kind="stable").tolist()
        assert in_order.taken(column, order).tolist() == sorted(values)
    finally:
        in_order.PIECE = before


@pytest.mark.parametrize("asked", [WhatIf(traffic=40), WhatIf(changes=50), WhatIf(traffic=2, changes=20)])
def test_what_it_makes_does_not_depend_on_the_pieces(monkeypatch: pytest.MonkeyPatch, asked: WhatIf) -> None:
    at = np.arange(400) * 10**9
    trace = vg.read_trace({"at": at, "key": at // 10**9 % 17, "version": at // 10**9 // 40, "scope": at // 10**10})
    whole = what_if.changed_trace(trace, asked)
    monkeypatch.setattr(in_order, "PIECE", 70)
    assert what_if.changed_trace(trace, asked) == whole


@pytest.mark.clock
@pytest.mark.parametrize("asked", [WhatIf(traffic=100), WhatIf(changes=300)])
def test_making_a_trace_ends_soon_after_it_is_given_up(asked: WhatIf) -> None:
    at = np.arange(60_000) * 10**9
    trace = vg.read_trace({"at": at, "key": at // 10**9 % 17, "version": at // 10**9 // 5})
    stop, began = Stop(), time.monotonic()
    threading.Timer(0.3, stop.ask).start()

    def again_and_again() -> None:
        while True:
            what_if.changed_trace(trace, asked)

    with pytest.raises(GivenUp), stoppable(stop):
        again_and_again()
    assert time.monotonic() - began < 0.3 + seconds(0.5)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (WhatIf(traffic=1000), "whatif.traffic: 1000 makes 300,000 events of 300, which take 73.2 MiB of memory when"),
        (WhatIf(changes=500), "whatif.changes: 500 makes 49,"),
    ],
)
def test_more_than_fits_in_memory_is_refused(asked: WhatIf, said: str) -> None:
    trace = vg.read_trace({"at": range(300), "key": [1, 2, 3] * 100, "version": [n // 9 for n in range(300)]})
    with pytest.raises(RulesError, match=said):
        what_if.changed_trace(trace, asked, most_bytes=1 << 20)
    assert len(what_if.changed_trace(trace, WhatIf(traffic=Fraction(3)), most_bytes=1 << 20)) == 900


def test_a_plan_that_would_not_fit_is_one_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(what_if, "memory_bytes", lambda: 1 << 20)
    with pytest.raises(RulesError, match=r"whatif\.traffic: 1000 makes 20,000 events of 20, which take"):
        vg.replay(vg.synth(20, keys=5), vg.Plan(vg.Rules(), what_if=WhatIf(traffic=1000)))


def test_whoever_waits_for_a_value_can_be_told_to_stop() -> None:
    begun, end, made = threading.Event(), threading.Event(), []

    def make() -> int:
        begun.set()
        end.wait(10)
        return 5

    value, stop = Once(make), Stop()
    maker = threading.Thread(target=lambda: made.append(value.get()))
    maker.start()
    begun.wait(10)
    threading.Timer(0.2, stop.ask).start()
    with pytest.raises(GivenUp), stoppable(stop):
        value.get()
    assert not value.is_made
    end.set()
    maker.join()
    assert (made, value.get(), value.is_made) == ([5], 5, True)


def test_a_value_whose_making_failed_is_made_by_the_next() -> None:
    tries = iter([ValueError("no"), None])

    def make() -> str:
        if (error := next(tries)) is not None:
            raise error
        return "made"

    value = Once(make)
    with pytest.raises(ValueError, match="no"):
        value.get()
    assert value.get() == "made"
    with holding(threading.Lock()):
        check()


def test_threads_beside_each_other_are_stopped_together() -> None:
    from vestigo.threads import side_by_side

    stop = Stop()
    stop.ask()
    with stoppable(stop), side_by_side() as threads:
        asked = [threads.submit(check) for _ in range(3)]
    assert [type(one.exception()) for one in asked] == [GivenUp] * 3
