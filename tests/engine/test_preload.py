"""Preloads that a rule asks for, on both engines, beside traces in which they are written down."""

import gc
from pathlib import Path
from typing import Any
from weakref import ref

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import assume, given

from tests.agreement.cases import Case, cases
from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, RulesError, Trace, compare, key_by_key, read_by_read, replay, why
from vestigo.engine import few_traces, preloads, write_read_by_read
from vestigo.engine.job import Job, job
from vestigo.rules.preload import Preload
from vestigo.rules.stated import Stated
from vestigo.trace import Op
from vestigo.trace.columns import MISSING
from vestigo.units import SECOND

SECONDS = "1970-01-01T00:00:{:02}Z"
"""An instant of traces that `told` makes."""


def test_at_the_start_every_key_comes_in_with_one_call(engine: Any) -> None:
    lines = "0 read z\n5 read a\n6 read b\n7 read a"
    outcome = replayed(engine, lines, preload="start", preload_cost="2s")
    assert (outcome.hits, missed(outcome)) == (3, {"loading": 1})
    assert (outcome.background_loads, outcome.loads, outcome.entries_peak) == (1, 2, 3)


def test_reads_join_a_preload_under_way(engine: Any) -> None:
    outcome = replayed(engine, "0 read z\n1 read a\n5 read a", preload="start", preload_cost="3s", overlap="join")
    assert (outcome.hits, outcome.joined, outcome.loads) == (1, 2, 1)
    assert outcome.read_time(100) == 3.0


def test_unless_stated_it_takes_as_long_as_the_longest_load(engine: Any) -> None:
    outcome = replayed(engine, "0 read z cost=1\n3 read a cost=4\n5 read a cost=1", preload="start")
    assert missed(outcome) == {"loading": 2}
    assert "a preload takes as long as the longest load: reads 4.00 s (state preload_cost)" in outcome.assumptions


def test_after_a_restart_only_the_node_that_restarted_preloads(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n5 restart node=n\n6 read a node=n\n7 read a node=m"
    preloads = replayed(engine, lines, preload="start")
    assert (preloads.hits, preloads.background_loads, preloads.loads) == (4, 3, 3)
    assert replayed(engine, lines).hits == 1
    of_all = replayed(engine, lines.replace("restart node=n", "restart"), preload="start")
    assert (of_all.hits, of_all.background_loads) == (4, 4)


def test_one_cache_for_all_nodes_preloads_once(engine: Any) -> None:
    lines = "0 read a node=n\n1 read b node=m\n5 restart node=n\n6 read a node=m"
    outcome = replayed(engine, lines, preload="start", per="all")
    assert (outcome.hits, outcome.background_loads, outcome.loads) == (3, 2, 2)


def test_at_a_moment_it_comes_before_the_reads_of_that_moment_and_after_a_clear(engine: Any) -> None:
    at = SECONDS.format(5)
    outcome = replayed(engine, "0 read a\n5 read b\n6 read a", preload=at, clear_at=at)
    assert (outcome.hits, missed(outcome)) == (2, {"first": 1})


def test_at_a_time_of_day_in_the_zone(engine: Any) -> None:
    trace = told("0 read a", "10000 read b")
    rules = {"preload": "03:00", "zone": "Europe/Berlin"}  # 02:00 UTC
    assert replay(trace, Rules(**rules), engine=engine).hits == 1
    assert replay(trace, Rules(**{**rules, "zone": "UTC"}), engine=engine).hits == 0


def test_what_comes_in_is_what_the_origin_has_by_then(engine: Any) -> None:
    """It is fresh after a write that nobody read, has the size of the last value, and is nothing after a remove."""
    lines = "0 read a size=10\n1 write a size=70\n3 read a size=70\n4 remove a\n7 read a found=no"
    at = [SECONDS.format(2), SECONDS.format(6)]
    outcome = replayed(engine, lines, preload=at, nulls="keep")
    assert (outcome.hits, outcome.stale_hits, outcome.nulls_hit, outcome.memory_peak) == (2, 0, 1, 70)


def test_a_key_that_is_written_first_had_another_value_before(engine: Any) -> None:
    outcome = replayed(engine, "0 read z\n1 write a size=5\n2 read a", preload="start")
    assert (outcome.hits, outcome.stale_hits) == (2, 1)


def test_a_key_that_is_removed_first_had_a_value_before(engine: Any) -> None:
    outcome = replayed(engine, "0 read z\n1 remove a\n2 read a found=no", preload="start", nulls="keep")
    assert (outcome.hits, outcome.stale_hits, outcome.nulls_hit) == (2, 1, 0)


def test_a_value_without_a_size_has_the_usual_one(engine: Any) -> None:
    lines = "0 read a\n1 read b size=10\n2 read b size=10\n9 read b size=70"
    assert replayed(engine, lines, preload="start").memory_peak == 20


def test_a_key_that_is_only_taken_out_has_no_value_that_could_be_loaded(engine: Any) -> None:
    assert replayed(engine, "0 read a\n1 drop b\n2 read a", preload="start").background_loads == 1


def test_keys_with_rules_of_their_own_may_preload_alone(engine: Any) -> None:
    plan = Plan(keys={"reads": {"b{}": Rules(preload="start")}})
    outcome = replay(told("0 read z", "1 read a", "2 read b1"), plan, engine=engine)
    assert (outcome.hits, outcome.background_loads) == (1, 1)


def _written_down(case: Case) -> Trace:
    """The case's trace with preloads as events. It goes from event to event, as somebody would by hand."""
    trace, plan = case.trace, case.plan
    rows = [
        {
            name: getattr(trace, name)[row].item()
            for name in ("at", "op", "lookup", "key", "size", "cost", "found", "node")
        }
        for row in range(len(trace))
    ]
    nulls = _nulls(trace)
    groups = job(trace, plan).groups
    written: list[tuple[tuple[int, ...], dict[str, int]]] = [((row, 1), one) for row, one in enumerate(rows)]
    unnamed = not trace.nodes or any(one["node"] < 0 for one in rows if one["op"] in (Op.READ, Op.PRELOAD))
    for key in range(len(trace.keys)):
        rules = groups.each[groups.key_groups[key]].rules
        for row, at, node in _when(rules, rows, [*range(len(trace.nodes)), *([MISSING] if unnamed else [])]):
            own = [(number, one) for number, one in enumerate(rows) if one["key"] == key and one["op"] <= Op.PRELOAD]
            if not own:
                continue
            before = [one for one in own if one[0] < row]
            number, latest = before[-1] if before else own[0]
            null = nulls[number] and not (not before and latest["op"] in (Op.WRITE, Op.REMOVE))
            sizes = [one["size"] for place, one in own if not nulls[place] and one["size"] >= 0 and (place < row)]
            later = [one["size"] for place, one in own if not nulls[place] and one["size"] >= 0]
            size = latest["size"] if null else (sizes[-1:] or later[:1] or [latest["size"]])[0]
            costs = [one["cost"] for one in rows if one["lookup"] == latest["lookup"] and one["op"] <= Op.PRELOAD]
            cost = max(costs) if rules.preload_cost is None else int(rules.preload_cost)
            new = {"at": at, "op": 3, "lookup": latest["lookup"], "key": key, "size": size, "cost": cost}
            written.append(((row, 0, at, node, key), {**new, "found": int(not null), "node": node}))
    order = [one for _, one in sorted(written, key=lambda one: one[0])]
    is_new = [place[1] == 0 for place, _ in sorted(written, key=lambda one: one[0])]
    columns: dict[str, Any] = {
        name: np.array([one[name] for one in order], getattr(trace, name).dtype) for name in rows[0]
    }
    for name in ("version", "scope", "force", "hit_cost"):
        column = np.full(len(order), False if name == "force" else MISSING, getattr(trace, name).dtype)
        column[~np.array(is_new)] = getattr(trace, name)
        columns[name] = column
    return trace.__class__(**{**_fields(trace), **columns})


def _fields(trace: Trace) -> dict[str, Any]:
    return {name: getattr(trace, name) for name in ("lookups", "keys", "key_lookup", "nodes", "versions", "scopes")}


def _when(rules: Rules, rows: list[dict[str, int]], nodes: list[int]) -> list[tuple[int, int, int]]:
    """Before which row a key with these rules is preloaded, when, and on which node."""
    asked, found = rules.preload, []
    if asked is None:
        return []
    places = nodes if rules.per == "node" else [MISSING if MISSING in nodes else 0]
    if asked.at_start:
        found += [(0, rows[0]["at"], node) for node in places]
        for number, one in enumerate(rows):
            here = [one["node"]] if one["node"] >= 0 and rules.per == "node" else places
            found += [(number + 1, one["at"], node) for node in here] if one["op"] == Op.RESTART else []
    moments = asked.moments.between(rows[0]["at"], rows[-1]["at"], "UTC") if asked.moments else []
    for at in moments:
        row = next(number for number, one in enumerate(rows) if one["at"] >= at)
        found += [(row, at, node) for node in places]
    return found


def _nulls(trace: Trace) -> list[bool]:
    """Whether the value of each event's key is null after it."""
    null: dict[int, bool] = {}
    nulls = []
    columns = (getattr(trace, name).tolist() for name in ("op", "key", "found", "version"))
    for op, key, found, version in zip(*columns, strict=True):
        if op <= Op.PRELOAD:
            told_null = op == Op.REMOVE or found == 0
            told_value = found == 1 or op == Op.WRITE or version >= 0
            null[key] = told_null if told_null or told_value else null.get(key, False)
        nulls.append(null.get(key, False))
    return nulls


def _without(layer: object) -> dict[str, object]:
    stated = Stated.by(layer)  # type: ignore[arg-type]
    return {name: value for name, value in stated.items() if name not in ("preload", "preload_cost")}


def _without_preloads(plan: Plan) -> Plan:
    return Plan(
        Rules(**_without(plan.rules)),
        {name: _without(layer) for name, layer in plan.lookups.items()},
        {name: {pattern: _without(one) for pattern, one in each.items()} for name, each in plan.keys.items()},
        plan.pools,
        warm_up=plan.warm_up,
        origin=plan.origin,
        origins=plan.origins,
    )


@given(cases())
def test_it_is_as_if_the_trace_had_preloads(case: Case) -> None:
    assume(len(case.trace) and any(rules.preload for rules in case.plan.all_rules()))
    expected = replay(_written_down(case), _without_preloads(case.plan)).to_dict()
    outcome = replay(case.trace, case.plan).to_dict()
    assert {**outcome, "assumptions": ()} == {**expected, "assumptions": ()}


def test_single_reads_keep_the_numbers_of_their_events(engine: Any) -> None:
    trace = told("0 read z", "1 read a", "3 restart", "4 read a", "5 read z")
    table = read_by_read(trace, Rules(preload="start", preload_cost="2s"), engine=engine).to_pandas()
    assert table["event"].tolist() == [0, 1, 3, 4]
    assert table["cause"].tolist()[:3] == ["loading"] * 3
    assert table["answer"].tolist() == ["miss", "miss", "miss", "hit"]


def test_the_file_of_reads_says_the_same(tmp_path: Path) -> None:
    trace, plan = told("0 read z", "1 write a", "2 read a", "3 read z"), Plan(Rules(preload="start"), warm_up="2s")
    assert write_read_by_read(trace, plan, tmp_path / "reads.parquet") == 3
    written = pq.read_table(tmp_path / "reads.parquet")
    assert written.equals(read_by_read(trace, plan).to_arrow().cast(written.schema))
    assert written["counted"].to_pylist() == [False, True, True]
    assert written["stale_age_ns"].to_pylist() == [None, SECOND, None]


def test_keys_are_counted_with_their_own_preloads(engine: Any) -> None:
    trace = told("0 read z", "5 read a")
    keys = key_by_key(trace, Rules(preload="start", preload_cost="3s"), engine=engine).to_pandas().set_index("key")
    assert keys["hits"].to_dict() == {"z": 0, "a": 1}
    assert keys["misses.loading"].to_dict() == {"z": 1, "a": 0}


def test_a_story_tells_of_preloads_and_what_one_would_bring() -> None:
    trace = told("0 read z", "5 read a", "6 restart", "8 read a", "9 read a")
    story = why(trace, Rules(preload="start", preload_cost="1s"), key="a")
    assert [(one.what, one.event) for one in story.steps if one.event is not None] == [("hit", 1), ("hit", 3)]
    came = [one.at_ns // SECOND for one in story.steps if one.what == "loaded"]
    assert came == [1, 7]
    advice = [(one.changes, one.hits) for one in why(trace, Rules(), key="a").advice]
    assert advice == [({"lookup.reads.preload": "start"}, 2), ({"lookup.reads.survives_restart": True}, 1)]


def test_no_settings_pass_the_ceilings_of_what_any_of_them_preloads() -> None:
    trace = told("0 read z", "5 read a", "6 clear", "7 read b", "8 read a version=2", "9 read b")
    plan = Plan(candidates={"ahead": Rules(preload=["start", SECONDS.format(7)])})
    results = compare(trace, plan)
    assert results["today"].hits == 1
    assert results["ahead"].hits == results["no limits"].hits == 5
    assert results["no limits, fresh"].hits == 5
    assert compare(trace, Plan())["no limits"].hits == 1


def test_a_look_up_preloads_nothing_of_others(engine: Any) -> None:
    """Neither keys nor sizes: the other look-up's writes come between."""
    lines = ["0 read z lookup=y", "1 write b lookup=x size=9", "2 read a lookup=y size=3", "2 write c lookup=x size=7"]
    lines += ["3 restart", "4 read a lookup=y", "4 read b lookup=x"]
    plan = Plan(Rules(entry_overhead=0), lookups={"y": Rules(entry_overhead=0, preload="start", preload_cost="0s")})
    outcome = replay(told(*lines), plan, engine=engine)
    both = outcome.lookups
    assert (both["y"].hits, both["y"].background_loads, both["x"].background_loads) == (3, 2, 0)  # a call at each start
    assert (both["y"].memory_peak, both["x"].hits) == (6, 0)


def test_a_trace_of_restarts_alone_has_nothing_to_preload(engine: Any) -> None:
    outcome = replay(told("0 restart", "3 restart"), Rules(preload="start"), engine=engine)
    assert (outcome.reads, outcome.background_loads, outcome.entries_peak) == (0, 0, 0)


def test_it_takes_no_cache_to_preload_nothing() -> None:
    trace = told("0 read z", "5 read a")
    assert compare(trace, Rules(preload="start"))["no cache"].loads == 2


@pytest.mark.parametrize(
    ("rules", "problem"),
    [
        ({"preload": "noon"}, "preload: 'noon' is not a time; write \"start\""),
        ({"preload": []}, "preload: .* is not a time"),
        ({"preload": "06:00"}, "preload needs zone for times of day"),
        ({"preload_cost": "1s"}, "preload_cost needs preload"),
        ({"preload": "start", "per": "scope"}, "preload needs per"),
        ({"preload": "start", "preload_cost": "soon"}, "preload_cost: 'soon'"),
    ],
)
def test_what_means_nothing_is_refused(rules: dict[str, Any], problem: str) -> None:
    with pytest.raises(RulesError, match=problem):
        Rules(**rules)


def test_more_than_fits_in_memory_is_refused_before_it_is_made(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(preloads, "memory_bytes", lambda: 4_000)
    with pytest.raises(RulesError, match=r"preload: 4 loads of single keys, beside 5 events, take 2\.25 KiB"):
        replay(told("0 read a", "1 read b", "2 restart", "3 read b", "4 read b"), Rules(preload="start"))


def test_settings_that_preload_the_same_share_a_trace_and_few_are_kept() -> None:
    trace = told("0 read a", "1 read b")

    def made(cost: int, **rules: Any) -> Job:
        return job(trace, Plan(Rules(preload="start", preload_cost=f"{cost}s", **rules)))

    held = made(0)
    assert made(0, absolute="2m").trace is held.trace
    weak = [ref(made(cost).trace) for cost in range(1, 10)]
    gc.collect()
    assert [one() is not None for one in weak] == [False] * 5 + [True] * 4
    assert made(0).trace is held.trace
    assert job(trace, Plan()).trace is trace


def test_of_long_traces_only_the_last_that_was_made_is_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    trace = told("0 read a", "1 read b")
    rows = len(job(trace, Plan(Rules(preload="start"))).trace)
    assert rows == 4
    for most, kept in ((3 * rows, 3), (2 * rows - 1, 1), (1, 1)):
        monkeypatch.setattr(few_traces, "MOST_ROWS", most)
        weak = [ref(job(trace, Plan(Rules(preload="start", preload_cost=f"{most}{n}ms"))).trace) for n in range(4)]
        gc.collect()
        assert [one() is not None for one in weak] == [False] * (4 - kept) + [True] * kept


def test_it_is_written_as_it_is_read() -> None:
    for texts in ("start", ["start", "06:00"], ["06:00", "18:00"]):
        rules = Rules(preload=texts, zone="UTC")
        assert rules.to_dict()["preload"] == texts
        assert Rules(**rules.to_dict()) == rules
    assert Rules(preload="never", preload_cost="longest") == Rules()
    assert Preload.read(["start", "start"]) == Preload(at_start=True, moments=None)


def test_a_slower_origin_slows_what_is_stated_of_preloads(engine: Any) -> None:
    trace, plan = told("0 read z cost=1", "5 read a"), Plan(Rules(preload="start", preload_cost="2s"))
    slower = Plan(plan.rules, what_if={"origin": 3})
    assert missed(replay(trace, plan, engine=engine)) == {"loading": 1}
    assert missed(replay(trace, slower, engine=engine)) == {"loading": 2}
