"""The same trace under other circumstances: what should differ does so by the amount asked for, and everything else
stays.
"""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, reject
from hypothesis import strategies as st

from tests.agreement.cases import Case, cases
from tests.few import few
from tests.telling import told
from vestigo import (
    Plan,
    Rules,
    RulesError,
    Trace,
    TraceError,
    WhatIf,
    compare,
    read_trace,
    replay,
    survey,
    synth,
    what_if,
)
from vestigo.demo.files import write_demo
from vestigo.trace import Op
from vestigo.units import SECOND


@pytest.fixture(scope="module")
def reads() -> Trace:
    return synth(20_000, keys=300, nodes=2, changes="2m", cost="5ms")


def test_nodes_take_reads_in_turn_and_none_is_left_out(reads: Trace) -> None:
    spread = what_if.on_nodes(reads, 4)
    keyed = spread.node[spread.op == Op.READ]
    assert np.ptp(np.bincount(keyed)) <= reads.op.tolist().count(Op.WRITE)
    assert spread.nodes == ("node 1", "node 2", "node 3", "node 4")
    assert np.all(spread.node[spread.op >= Op.CLEAR] == -1)


def test_a_scope_or_a_key_stays_on_one_node() -> None:
    trace = told("0 read a scope=s", "1 read b scope=s", "2 read a scope=t", "3 clear", "4 read c")
    by_scope = what_if.on_nodes(trace, 2, "by scope").node.tolist()
    assert by_scope[0] == by_scope[1] != by_scope[2] and by_scope[3] == -1
    by_key = what_if.on_nodes(trace, 2, "by key").node.tolist()
    assert by_key[0] == by_key[2] != by_key[1]


def test_caches_of_the_process_become_caches_of_the_nodes() -> None:
    trace = told("0 read a", "1 read a", "2 read a", "3 read a")
    plan = Plan(Rules(), what_if=WhatIf(nodes=2), candidates={"told": Plan(Rules(absolute="1h"))})
    results = compare(trace, plan)
    assert [results[name].hits for name in results.settings] == [2, 2]
    assert results.what_if == plan.what_if
    assert replay(trace, plan).hits == 2
    assert replay(trace, Plan(Rules(per="scope"), what_if=WhatIf(nodes=2))).hits == 3


def test_keys_on_nodes_of_their_own_hit_as_in_one_process(reads: Trace) -> None:
    alone = replay(reads, Rules(absolute="1m", per="all"))
    apart = replay(reads, Plan(Rules(absolute="1m"), what_if=WhatIf(nodes=3, spread="by key")))
    assert (apart.hits, apart.memory_peak) == (alone.hits, alone.memory_peak)


@pytest.mark.parametrize("times", [1, 2, 3.5])
def test_there_are_so_many_times_as_many_reads(reads: Trace, times: float) -> None:
    more = what_if.with_traffic(reads, times)
    assert more.reads == pytest.approx(reads.reads * times, rel=0.01)
    assert (more.op == Op.WRITE).sum() == (reads.op == Op.WRITE).sum()
    assert (more.at[0], more.at[-1]) == (reads.at[0], reads.at[-1])
    assert np.all(np.diff(more.at) >= 0)
    before, after = (np.bincount(trace.key[trace.op == Op.READ], minlength=300) for trace in (reads, more))
    assert np.allclose(after / times, before, atol=4 * np.sqrt(before + 1))


def test_more_readers_have_scopes_of_their_own() -> None:
    trace = told("0 read a scope=s", "1 read b scope=t", "2 read c")
    more = what_if.with_traffic(trace, 3)
    assert len(set(more.scope.tolist()) - {-1}) == 6
    assert (more.scope == -1).sum() == 3


def test_less_traffic_is_a_sample() -> None:
    with pytest.raises(RulesError, match=r"traffic: 0.5 is less than the trace has; sample the trace"):
        WhatIf(traffic=0.5)


@pytest.mark.parametrize("times", [0, 0.5, 1, 3, 10])
def test_values_change_so_many_times_as_often(reads: Trace, times: float) -> None:
    before, after = (survey(trace).total.changes for trace in (reads, what_if.with_changes(reads, times)))
    assert before > 500
    assert after == pytest.approx(before * times, rel=0.15, abs=3)


@given(cases())
def test_as_many_changes_are_the_same_truth_told_by_writes(case: Case) -> None:
    """Nulls stay nulls, and every read finds a value of the same age, except for values that came back."""
    trace = case.trace
    again = what_if.with_changes(trace, 1)
    rules = Rules(nulls="keep")
    one, other = replay(trace, rules), replay(again, rules)
    assert (one.reads, one.nulls_read, one.hits) == (other.reads, other.nulls_read, other.hits)
    assert np.all(again.version == -1)


def test_demo_values_change_twice_as_often(tmp_path: Any) -> None:
    from vestigo import read_trace

    trace = read_trace(write_demo(tmp_path)[0])
    before, after = survey(trace), survey(what_if.with_changes(trace, 2))
    assert after.lookups["berth"].changes == pytest.approx(2 * before.lookups["berth"].changes, rel=0.05)
    assert after.total.reads == before.total.reads
    assert after.total.null_share == before.total.null_share


def test_the_origin_takes_so_many_times_as_long() -> None:
    trace = told("0 read a cost=2", "9 read b", "9 read c cost=0")
    assert what_if.with_origin(trace, 1.5).cost.tolist() == [3 * SECOND, -1, 0]
    with pytest.raises(TraceError, match="takes longer than times can tell"):
        what_if.with_origin(read_trace({"at": [0], "key": ["a"], "cost": [2**59]}), 4)


def test_everything_restarts_at_noon() -> None:
    hours = [f"{hour * 3600} read a" for hour in range(49)]
    trace = what_if.with_restarts(told(*hours), "12:00", "UTC")
    assert trace.at[trace.op == Op.RESTART].tolist() == [hour * 3600 * SECOND for hour in (12, 36)]
    assert replay(trace, Rules()).misses_by_cause["restarted"] == 2
    plan = Plan(what_if=WhatIf(restart_at="12:00", zone="UTC"))
    assert replay(told(*hours), plan).to_dict() == replay(trace, Rules()).to_dict()


@few(25)
@given(
    cases(),
    st.sampled_from([{"nodes": 3}, {"traffic": 2}, {"changes": 3}, {"origin": 2}, {"nodes": 2, "traffic": 1.5}]),
)
def test_the_engines_agree_on_what_would_be(case: Case, different: dict[str, Any]) -> None:
    plan = Plan(Rules(max_entries=3, sliding="5s", on_write="drop"), what_if=WhatIf(**different))
    try:
        native, reference = (replay(case.trace, plan, engine=engine) for engine in ("native", "reference"))
    except RulesError as error:  # a slower origin means nothing where there are no costs
        if "gives no costs" not in str(error):
            raise
        reject()
    assert native.to_dict()["misses"] == reference.to_dict()["misses"]
    assert (native.hits, native.stale_hits) == (reference.hits, reference.stale_hits)


def test_a_slower_origin_slows_costs_that_are_assumed() -> None:
    trace = told("0 read a", "5 read b")
    slow = Plan(Rules(assume_cost="20ms"), {"reads": {"assume_cost": "30ms"}}, what_if=WhatIf(origin=10))
    assert replay(trace, slow).origin_time_ns == 2 * 300 * 10**6
    with pytest.raises(RulesError, match=r"whatif\.origin = 10 changes nothing: the trace gives no costs"):
        replay(trace, Plan(what_if=WhatIf(origin=10)))


def test_writes_that_are_drawn_come_after_the_rows_of_their_moment() -> None:
    trace = told("0 read a version=1", "5 read a version=2", "5.000000001 read a version=3", "9 read b")
    more = what_if.with_changes(trace, 50)
    changed = more.at[(more.op == Op.WRITE)]
    first = int(np.flatnonzero(more.op == Op.READ)[1])
    assert (changed == trace.at[1]).sum() == 50  # all at the same moment
    assert (
        more.op[:first] == Op.WRITE
    ).sum() == 1  # the change itself, then the read that shows it, then the drawn ones


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"nodes": 0}, "nodes: 0 is not a number of nodes"),
        ({"changes": -1}, "changes: -1 is not a number of times"),
        ({"origin": "twice"}, "origin: 'twice' is not a number of times"),
        ({"origin": True}, "origin: True is not"),
        ({"spread": "by key"}, 'spread = "by key" needs nodes'),
        ({"restart_at": "12:00"}, "restart_at needs zone"),
        ({"speed": 2}, "'speed' is unknown"),
    ],
)
def test_what_cannot_be_is_refused(wrong: dict[str, Any], says: str) -> None:
    with pytest.raises(RulesError, match=says):
        WhatIf(**wrong)


def test_a_trace_without_events_stays_empty() -> None:
    empty = read_trace({"at": np.empty(0, np.int64), "key": np.empty(0, np.int64)})
    plan = Plan(what_if=WhatIf(nodes=2, traffic=2, changes=2, origin=2, restart_at="12:00", zone="UTC"))
    assert replay(empty, plan).reads == 0
