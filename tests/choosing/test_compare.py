"""The comparison: baseline and ceilings are what they say."""

import dataclasses
import resource
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.agreement.cases import Case, cases
from tests.agreement.worst import CLEARED_WHILE_LOADING, TOLD_WHILE_LOADING
from tests.telling import told
from vestigo import Plan, Rules, RulesError, TraceError, compare
from vestigo.choosing.ceilings import with_versions_as_keys
from vestigo.choosing.most_hits import most_hits
from vestigo.prepared import memory
from vestigo.prepared.fill import assume
from vestigo.prepared.truth import truths
from vestigo.trace.trace import LAST_VALUED

TRACE = told(
    "0 read a version=1 cost=2", "5 read a version=1 cost=2", "6 write a version=2", "9 read a version=2 cost=2"
)


@given(cases())
@example(CLEARED_WHILE_LOADING)
@example(TOLD_WHILE_LOADING)
def test_no_settings_pass_the_ceilings(case: Case) -> None:
    results = compare(case.trace, case.plan)
    top, fresh = (results[name] for name in results.ceilings)
    today, nothing = results["today"], results.baseline
    assert today.reads == top.reads == fresh.reads == nothing.reads
    assert today.hits <= top.hits
    assert today.hits - today.stale_hits <= fresh.hits
    assert today.hits <= most_hits(case.trace, case.plan)
    assert today.misses + today.joined + today.failed >= top.misses
    assert fresh.stale_hits == 0
    assert nothing.hits == 0 and nothing.misses + nothing.failed == nothing.reads and nothing.memory_peak == 0


@pytest.mark.parametrize(
    ("lines", "rules", "hits"),
    [
        (["4 read a cost=4", "6 clear", "10 read a cost=4"], {}, 1),
        (["4 preload a cost=4", "6 clear", "10 read a cost=4"], {}, 1),
        (["0 write a node=n", "1 clear", "9 read a node=m"], {"tell_nodes": "copy", "tell_delay": "5s"}, 1),
        (["0 read a cost=9", "1 read a cost=9", "2 clear", "3 read a cost=9"], {"overlap": "join"}, 0),
        (["4 read a cost=1", "6 clear", "10 read a cost=4"], {}, 0),
    ],
)
def test_a_ceiling_has_what_outlives_a_clear(engine: Any, lines: list[str], rules: dict[str, Any], hits: int) -> None:
    results = compare(told(*lines), Plan(Rules(**rules)), engine=engine)
    assert results["today"].hits == hits
    for name in results.ceilings:
        assert results[name].hits >= hits
    assert results["no limits"].hits == {("4 read a cost=1",): 0, ("0 read a cost=9",): 2}.get((lines[0],), 1)


def test_where_each_node_has_a_cache_in_all_settings_it_has_one_in_the_ceilings(engine: Any) -> None:
    trace = told("0 read a node=n", "1 read a node=m", "2 read a node=n", "3 clear node=n", "4 read a node=n")
    shared = Plan(candidates={"shared": Plan(Rules(per="all"))})
    for plan, hits in ((Plan(), 1), (Plan(Rules(per="all")), 2), (shared, 3)):
        results = compare(trace, plan, engine=engine)
        assert [results[name].hits for name in results.ceilings] == [hits, hits]


def test_all_that_is_compared_has_the_plans_own_costs_and_overheads(engine: Any) -> None:
    rules = {
        "hit_cost": "5ms",
        "hit_cost_per_kib": "1ms",
        "entry_overhead": 100,
        "assume_size": 2048,
        "assume_cost": "1s",
    }
    results = compare(told("0 read a", "5 read a"), Plan(lookups={"reads": Rules(**rules)}), engine=engine)
    for name in ("today", *results.ceilings):
        assert (results[name].read_time_ns, results[name].memory_peak) == (10**9 + 7 * 10**6, 2148)
    assert results.baseline.read_time_ns == 2 * 10**9


def test_the_ceilings_survive_a_restart_if_any_settings_do(engine: str) -> None:
    trace = told("0 read a", "1 restart", "2 read a")
    lasting = Plan(candidates={"lasting": Plan(Rules(survives_restart=True))})
    for plan, hits in ((Plan(), 0), (lasting, 1)):
        results = compare(trace, plan, engine=engine)  # type: ignore[arg-type]
        assert [results[name].hits for name in results.ceilings] == [hits, hits]


def test_time_saved_is_measured_against_no_cache(engine: str) -> None:
    results = compare(TRACE, Plan(Rules(on_write="drop")), engine=engine)  # type: ignore[arg-type]
    assert results.baseline.origin_time_ns == 6 * 10**9
    assert results["today"].time_saved == pytest.approx(2 - 1e-6)
    assert results["today"].lookups["reads"].time_saved == pytest.approx(2 - 1e-6)
    assert results.baseline.time_saved == 0


def test_settings_that_make_reads_slower_than_no_cache_save_less_than_nothing(engine: str) -> None:
    results = compare(TRACE, Plan(Rules(hit_cost="3s")), engine=engine)  # type: ignore[arg-type]
    assert results["today"].time_saved == pytest.approx(-2)


def test_candidates_stand_between_today_and_the_ceilings() -> None:
    plan = Plan(Rules(), candidates={"drop": Plan(Rules(on_write="drop"))})
    results = compare(TRACE, plan)
    assert list(results) == ["no cache", "today", "drop", "no limits", "no limits, fresh"]
    assert results.settings == ["today", "drop"]
    assert results["today"].stale_hits == 1 and results["drop"].stale_hits == 0
    assert list(results.to_pandas().index) == list(results)
    assert results.to_dict()["drop"] == results["drop"].to_dict() | {"most_hits": 2}
    assert results.to_dict()["no cache"] == results["no cache"].to_dict()
    assert "<table" in results._repr_html_()


def test_progress_is_told_after_every_part_and_every_replay() -> None:
    told_of: list[tuple[str, int, int]] = []
    anew = dataclasses.replace(TRACE)  # what settings are compared with is replayed once for a trace
    compare(anew, Plan(), progress=lambda what, done, of: told_of.append((what, done, of)))
    parts, replays = told_of[:3], told_of[3:]
    assert parts == [("parts", number, 3) for number in (1, 2, 3)]  # today's, no cache, no limits
    assert replays == [("replays", number, 4) for number in (1, 2, 3, 4)]


def test_a_candidate_cannot_take_a_name_of_ours() -> None:
    with pytest.raises(RulesError, match="'no cache' names something else"):
        compare(TRACE, Plan(candidates={"no cache": Plan()}))


@given(cases(), st.integers(1, 20), st.booleans())
def test_a_long_trace_is_compared_in_batches_with_the_same_counts(case: Case, events: int, is_too_long: bool) -> None:
    """What has the same rows is replayed together, unless the trace is too long to be cut."""
    whole = compare(case.trace, case.plan).to_dict()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(memory, "BATCH_EVENTS", events)
        if is_too_long:
            patch.setattr(memory, "KEPT_EVENTS", 0)
        assert compare(dataclasses.replace(case.trace), case.plan).to_dict() == whole


def test_a_disk_without_room_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(memory, "KEPT_EVENTS", 1)
    limit = resource.getrlimit(resource.RLIMIT_FSIZE)
    try:
        resource.setrlimit(resource.RLIMIT_FSIZE, (2, limit[1]))
        with pytest.raises(TraceError, match=r"no room for 16\.0 B that a long trace needs .*TMPDIR"):
            compare(dataclasses.replace(TRACE), Plan(Rules()))
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, limit)


@given(cases())
def test_each_value_that_a_key_ever_had_is_a_key_of_its_own(case: Case) -> None:
    trace = case.trace
    renamed, truth = with_versions_as_keys(trace, assume(trace, Plan())), truths(trace)
    number = dict[tuple[int, int], int]()
    for row in np.flatnonzero(trace.op <= LAST_VALUED).tolist():
        pair = int(trace.key[row]), int(truth.value[row])
        assert renamed.key[row] == number.setdefault(pair, len(number))
        assert renamed.key_lookup[renamed.key[row]] == trace.key_lookup[trace.key[row]]
    others = renamed.key[trace.op > LAST_VALUED]
    assert not np.isin(others, list(number.values())).any()
