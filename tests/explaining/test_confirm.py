"""A running cache is compared with a prediction: chance is no difference, and what it does differently is named."""

import dataclasses
import os
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import vestigo as vg
from vestigo import Confirmation, InputError, Plan, Rules, Trace, confirm
from vestigo.demo.files import write_demo
from vestigo.engine.native import watched
from vestigo.engine.what_if import on_nodes
from vestigo.explaining.confirm import compare
from vestigo.explaining.confirm.predicted import Time, predict
from vestigo.units import SECOND

PLAN = Plan(Rules(max_entries=60, absolute="5m", on_write="drop", nulls="keep"))


@pytest.fixture(scope="module")
def day() -> Trace:
    """Two look-ups over two hours: 20,000 reads, a write in 25 events, some nulls."""
    draws = np.random.default_rng(8)
    rows = 20_000
    at = np.sort(draws.integers(0, 7200 * SECOND, rows))
    key = np.minimum(draws.zipf(1.15, rows), 900)
    op = np.where(np.arange(rows) % 25 == 24, "write", "read")
    found = np.where(op == "write", True, key % 5 != 0)
    lookup = np.where(draws.random(rows) < 0.7, "vessel", "berth")
    return vg.read_trace({"at": at, "key": key, "op": op, "found": found, "lookup": lookup})


def counted(trace: Trace, plan: Plan, begin: float, end: float, scrapes: int, **more: Any) -> list[dict[str, Any]]:
    """The counters that a service with these settings shows between two seconds, by look-up."""
    reads = vg.read_by_read(trace, plan).to_pandas()
    hit, at = (reads["answer"] == "hit").to_numpy(), reads["at"].astype("int64").to_numpy()
    rows = []
    for moment in np.linspace(begin, end, scrapes):
        for name in trace.lookups:
            chosen = (reads["lookup"] == name).to_numpy() & (at < moment * SECOND)
            hits = int(hit[chosen].sum())
            rows.append(
                {"at": round(moment * SECOND), "lookup": name, "hits": hits, "misses": int(chosen.sum()) - hits, **more}
            )
    return rows


@pytest.mark.parametrize("scrapes", [2, 5, 40])
def test_a_cache_that_does_as_predicted_is_said_to(day: Trace, scrapes: int) -> None:
    found = confirm(day, PLAN, counted(day, PLAN, 1800, 7200, scrapes))
    assert found.is_as_predicted
    assert found.tries == []
    assert all(one.measured == pytest.approx(one.predicted, abs=2e-3) for one in found.compared)
    assert (found.reads[0], found.scrapes, found.seconds) == (pytest.approx(found.reads[1], abs=3), scrapes, 5400)
    assert str(found).startswith("The running cache matches the prediction: hit rate ")


@pytest.mark.parametrize(
    ("otherwise", "named"),
    [
        ({"rules.max_entries": 15}, "it runs with max_entries = 15"),
        ({"rules.max_entries": 240}, "it runs with max_entries = 240"),
        ({"rules.absolute": "30s"}, "it runs with absolute = 30s"),
        ({"rules.nulls": "skip"}, "nulls are not kept"),
        ({"rules.on_write": "leave"}, "writes are not seen: they leave what is held"),
        ({"rules.drop_first": True}, "callers remove an entry before they read it"),
        ({"rules.eviction": "mru"}, "it evicts as mru does"),
        ({"rules.when_full": "free 50%"}, "when it is full, it makes half of it free at once"),
        ({"rules.nulls": "blind"}, "nulls are stored, but read as misses"),
        ({"lookup.vessel.max_entries": 15}, "vessel runs with max_entries = 15"),
        ({"lookup.berth.absolute": "30s"}, "berth runs with absolute = 30s"),
    ],
)
def test_what_a_running_cache_does_differently_is_named(day: Trace, otherwise: dict[str, Any], named: str) -> None:
    found = confirm(day, PLAN, counted(day, PLAN.changed(otherwise), 1800, 7200, 30))
    assert not found.is_as_predicted
    assert found.explained_by == found.tries[0]
    assert found.tries[0].what == named
    assert found.tries[0].off < found.off / 20
    assert f"Best explanation: {named} (predicts " in " ".join(str(found).split())


def test_more_nodes_than_the_trace_has_are_named(day: Trace) -> None:
    found = confirm(day, PLAN, counted(on_nodes(day, 3), PLAN, 1800, 7200, 30))
    assert found.tries[0].what == "the reads are spread over 3 nodes, a cache each"
    assert found.tries[0].changes == {}


def test_a_cold_start_is_named(day: Trace) -> None:
    plan = Plan(Rules(nulls="keep"))
    later = day.block(int(np.searchsorted(day.at, 3600 * SECOND)), len(day))
    found = confirm(day, plan, counted(later, plan, 3600, 7200, 30))
    assert found.tries[0].what == "the cache began empty when the counting did"
    assert found.tries[0].off < 1e-3


def test_chance_is_no_difference_where_the_trace_is_of_another_time(day: Trace) -> None:
    first, second = day.block(0, 10_000), day.block(10_000, 20_000)
    plan = dataclasses.replace(PLAN, warm_up="10m")
    begin, end = int(second.at[0]) / SECOND, int(second.at[-1]) / SECOND
    rows = counted(second, PLAN, begin + 600, end, 30)
    found = confirm(first, plan, rows)
    assert found.is_as_predicted
    assert found.notes[0].startswith("trace and counters cover different times; counters: ")
    low, high = found.compared[0].interval or (0, 0)
    assert low < 0 < high
    assert high - low > 0.005


def test_evictions_loads_and_what_is_held_are_compared_too(day: Trace) -> None:
    running = PLAN.changed({"rules.max_entries": 30})
    outcome = vg.replay(day, running)
    hits = {"hits": 0, "misses": 0, "loads": 0, "evictions": 0, "entries": 0, "bytes": 0, "at": 0}
    counts = {name: getattr(outcome, name) for name in ("hits", "misses", "loads", "evictions")}
    last = {**counts, "at": 7200 * SECOND, "entries": outcome.entries_peak, "bytes": outcome.memory_peak}
    found = confirm(day, PLAN, [hits, last])
    by_measure = {one.measure: one for one in found.compared}
    assert list(by_measure) == ["hit_rate", "loads", "evictions", "entries", "bytes"]
    assert by_measure["evictions"].measured == outcome.evictions / outcome.reads
    assert {name for name, one in by_measure.items() if one.differs} >= {"entries", "bytes", "evictions"}
    assert found.tries[0].what == "it runs with max_entries = 30"
    assert found.notes[0] == "the trace begins with the counting, with an empty cache"


def test_what_counters_cannot_tell_apart_is_said() -> None:
    trace = vg.synth(reads=20_000, keys=300, seed=2)
    outcome = vg.replay(trace, Rules(max_entries=40, eviction="fifo"))
    rows = [{"at": 1_767_571_200, "hits": 0, "misses": 0}]
    rows += [{"at": 1_767_571_440, "hits": outcome.hits, "misses": outcome.misses}]
    found = confirm(trace, Rules(max_entries=200), rows)
    assert {tuple(one.changes) for one in found.rivals} >= {("rules.absolute",), ("rules.sliding",)}
    assert "These counters cannot tell it from: " in " ".join(str(found).split())


def test_small_differences_are_tolerated_if_that_is_asked_for(day: Trace) -> None:
    rows = counted(day, PLAN.changed({"rules.max_entries": 50}), 1800, 7200, 30)
    assert not confirm(day, PLAN, rows, tolerate="0.1%").is_as_predicted
    assert confirm(day, PLAN, rows, tolerate="20%").is_as_predicted


def test_what_does_not_fit_is_said_in_notes_or_refused(day: Trace) -> None:
    rows = counted(day, PLAN, 1800, 7200, 30)
    notes = confirm(day, PLAN, [*rows, *({**row, "lookup": "tide"} for row in rows)]).notes
    assert "the trace has no look-up tide, which the counters name" in notes
    assert any("times as many reads as the trace; only rates are compared" in note for note in notes)
    again = [{**row, "hits": row["hits"] % 500} for row in rows]
    assert any(note.startswith("counters fell to zero ") for note in confirm(day, PLAN, again).notes)
    empty = vg.read_trace({"at": [0], "key": ["a"], "op": ["write"]})
    with pytest.raises(InputError, match="the trace has no reads between 1970-01-01 00:30:00"):
        confirm(empty, PLAN, rows)


def test_a_confirmation_prints_saves_and_compares(day: Trace, tmp_path: Path) -> None:
    found = confirm(day, PLAN, counted(day, PLAN.changed({"rules.max_entries": 15}), 1800, 7200, 30))
    assert vg.load(vg.save(found, tmp_path / "found.json")) == found
    assert isinstance(found, Confirmation)
    assert max(map(len, str(found).splitlines())) <= 100
    told = found.to_dict()
    assert told["tries"][0]["changes"] == {"rules.max_entries": 15}
    assert told["compared"][0]["differs"] is True
    assert "<table>" in found._repr_html_()


def process(seed: int, lookups: int = 1) -> Trace:
    """Another hour of the same process: 500 keys, 8,000 reads."""
    draws = np.random.default_rng(seed)
    weight = 1 / np.arange(1, 501) ** 0.9
    at, key = np.sort(draws.integers(0, 3600 * SECOND, 8000)), draws.choice(500, 8000, p=weight / weight.sum())
    return vg.read_trace({"at": at, "key": key, "lookup": [f"l{one}" for one in draws.integers(0, lookups, 8000)]})


NEAR = Plan(Rules(max_entries=60, absolute="60s"))


@pytest.mark.parametrize("scrapes", [25, 2])
@pytest.mark.parametrize("lookups", [1, 3])
def test_another_hour_of_the_same_process_is_an_alarm_in_5_of_100_cases(scrapes: int, lookups: int) -> None:
    cases = int(os.environ.get("VESTIGO_ALARMS", "20"))
    alarms = 0
    for case in range(cases):
        running = counted(process(2 * case + 1, lookups), NEAR, 0, 3600, scrapes)
        alarms += not found_without_tries(process(2 * case, lookups), running).is_as_predicted
    assert alarms <= 0.05 * cases + 3 * np.sqrt(0.05 * 0.95 * cases)


def found_without_tries(trace: Trace, rows: list[dict[str, Any]]) -> Confirmation:
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(compare, "tries", lambda *_: [])
        return confirm(trace, NEAR, rows, tolerate="0.01%")


@pytest.mark.parametrize(
    ("changes", "named"),
    [
        ({"rules.max_entries": 72}, "it runs with max_entries = 72"),
        ({"rules.max_entries": 57}, "it runs with max_entries = 57"),
        ({"rules.absolute": "54s"}, "it runs with absolute = 54s"),
        ({"rules.absolute": "45s"}, "it runs with absolute = 45s"),
        ({"rules.absolute": "60ms"}, "it runs with absolute = 60ms, a thousandth of 1m"),
        ({"rules.absolute": "1s"}, "it runs with absolute = 1s, a sixtieth of 1m"),
    ],
)
def test_an_amount_near_the_plan_s_own_or_a_slip_is_named_first(changes: dict[str, Any], named: str) -> None:
    trace = process(3)
    found = confirm(trace, NEAR, counted(trace, NEAR.changed(changes), 0, 3600, 25), tolerate="0.1%")
    assert not found.is_as_predicted
    assert (found.tries[0].what, found.tries[0].off) == (named, pytest.approx(0, abs=1e-4))
    for rival in found.rivals:
        assert rival.what in " ".join(str(found).split())


def test_what_a_try_leaves_alone_is_not_replayed_again(monkeypatch: pytest.MonkeyPatch) -> None:
    replays: list[object] = []
    as_usual = watched._seen
    monkeypatch.setattr(watched, "_seen", lambda *given: replays.append(given) or as_usual(*given))
    key = np.minimum(np.random.default_rng(4).zipf(1.15, 30_000), 900)
    lookup = np.where(np.arange(30_000) % 3 == 0, "berth", "vessel")
    trace = vg.read_trace({"at": np.arange(30_000) * SECOND // 5, "key": key, "lookup": lookup})
    time = Time.of(trace, np.linspace(600, 5000, 30).astype(np.int64) * SECOND, 0)
    today = predict(trace, PLAN, time)
    assert len(replays) == 2
    other = predict(trace, PLAN.changed({"lookup.vessel.max_entries": 17}), time)
    assert len(replays) == 3
    assert today.hit_rate("berth") == other.hit_rate("berth")
    assert today.hit_rate("vessel") > other.hit_rate("vessel")
    predict(trace, PLAN, time, is_cold=True)
    assert len(replays) == 5
    assert predict(trace, PLAN, time).hit_rate() == today.hit_rate()
    assert len(replays) == 5


def test_the_demo_with_a_lifetime_of_9_minutes_is_explained_by_9_minutes(tmp_path: Path) -> None:
    trace, plan = (read(path) for read, path in zip((vg.read_trace, vg.read_plan), write_demo(tmp_path), strict=True))
    trace, plan = vg.shape.between(trace, "5h", "11h"), dataclasses.replace(plan, candidates={}, vary={})
    begin, end = int(trace.at[0]) / SECOND + 1800, (int(trace.at[-1]) + 1) / SECOND
    found = confirm(trace, plan, counted(trace, plan.changed({"rules.absolute": "9m"}), begin, end, 13))
    assert (found.tries[0].what, found.tries[0].off) == ("it runs with absolute = 9m", 0)
