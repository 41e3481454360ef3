"""Life is compared with a prediction: chance is not a difference, and what is different in life is named."""

import dataclasses
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import vestigo as vg
from vestigo import Confirmation, InputError, Plan, Rules, Trace, confirm
from vestigo.engine.what_if import on_nodes
from vestigo.rules.vary import changed
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
            rows.append({"at": moment, "lookup": name, "hits": hits, "misses": int(chosen.sum()) - hits, **more})
    return rows


@pytest.mark.parametrize("scrapes", [2, 5, 40])
def test_life_as_predicted_is_said_to_be(day: Trace, scrapes: int) -> None:
    found = confirm(day, PLAN, counted(day, PLAN, 1800, 7200, scrapes))
    assert found.is_as_predicted
    assert found.tries == []
    assert all(one.life == pytest.approx(one.predicted, abs=2e-3) for one in found.compared)
    assert (found.reads[0], found.scrapes, found.seconds) == (pytest.approx(found.reads[1], abs=3), scrapes, 5400)
    assert str(found).startswith("Life is as predicted, over 1.50 h and ")


@pytest.mark.parametrize(
    ("otherwise", "named"),
    [
        ({"rules.max_entries": 15}, "max_entries = 15 is in force"),
        ({"rules.max_entries": 240}, "max_entries = 240 is in force"),
        ({"rules.absolute": "30s"}, "absolute = 30s is in force"),
        ({"rules.nulls": "skip"}, "nulls are not kept"),
        ({"rules.on_write": "leave"}, "writes are not seen: they leave what is held"),
        ({"rules.drop_first": True}, "callers remove an entry before they read it"),
        ({"rules.eviction": "mru"}, "it evicts as mru does"),
        ({"lookup.vessel.max_entries": 15}, "vessel: max_entries = 15 is in force"),
        ({"lookup.berth.absolute": "30s"}, "berth: absolute = 30s is in force"),
    ],
)
def test_what_is_otherwise_in_life_is_named(day: Trace, otherwise: dict[str, Any], named: str) -> None:
    found = confirm(day, PLAN, counted(day, changed(PLAN, otherwise), 1800, 7200, 30))
    assert not found.is_as_predicted
    assert found.explained_by == found.tries[0]
    assert found.tries[0].what == named
    assert found.tries[0].off < found.off / 20
    assert f"It is as if {named}" in " ".join(str(found).split())


def test_more_nodes_than_the_trace_has_are_named(day: Trace) -> None:
    found = confirm(day, PLAN, counted(on_nodes(day, 3), PLAN, 1800, 7200, 30))
    assert found.tries[0].what == "the reads are spread over 3 nodes, a cache each"
    assert found.tries[0].changes == {}


def test_a_cold_start_is_named(day: Trace) -> None:
    plan = Plan(Rules(nulls="keep"))
    later = day.part(int(np.searchsorted(day.at, 3600 * SECOND)), len(day))
    found = confirm(day, plan, counted(later, plan, 3600, 7200, 30))
    assert found.tries[0].what == "the cache began empty when the counting did"
    assert found.tries[0].off < 1e-3


def test_chance_is_no_difference_where_the_trace_is_of_another_time(day: Trace) -> None:
    first, second = day.part(0, 10_000), day.part(10_000, 20_000)
    plan = dataclasses.replace(PLAN, warm_up="10m")
    begin, end = int(second.at[0]) / SECOND, int(second.at[-1]) / SECOND
    rows = counted(second, PLAN, begin + 600, end, 30)
    found = confirm(first, plan, rows)
    assert found.is_as_predicted
    assert found.notes[0].startswith("the trace is of another time than the counters")
    low, high = found.compared[0].interval or (0, 0)
    assert low < 0 < high
    assert high - low > 0.005


def test_evictions_loads_and_what_is_held_are_compared_too(day: Trace) -> None:
    life = changed(PLAN, {"rules.max_entries": 30})
    outcome = vg.replay(day, life)
    hits = {"hits": 0, "misses": 0, "loads": 0, "evictions": 0, "entries": 0, "bytes": 0, "at": 0}
    counts = {name: getattr(outcome, name) for name in ("hits", "misses", "loads", "evictions")}
    last = {**counts, "at": 7200, "entries": outcome.entries_peak, "bytes": outcome.memory_peak}
    found = confirm(day, PLAN, [hits, last])
    by_measure = {one.measure: one for one in found.compared}
    assert list(by_measure) == ["hit_rate", "loads", "evictions", "entries", "bytes"]
    assert by_measure["evictions"].life == outcome.evictions / outcome.reads
    assert {name for name, one in by_measure.items() if one.differs} >= {"entries", "bytes", "evictions"}
    assert found.tries[0].what == "max_entries = 30 is in force"
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
    rows = counted(day, changed(PLAN, {"rules.max_entries": 50}), 1800, 7200, 30)
    assert not confirm(day, PLAN, rows, tolerate="0.1%").is_as_predicted
    assert confirm(day, PLAN, rows, tolerate="20%").is_as_predicted


def test_what_does_not_fit_is_said_in_notes_or_refused(day: Trace) -> None:
    rows = counted(day, PLAN, 1800, 7200, 30)
    notes = confirm(day, PLAN, [*rows, *({**row, "lookup": "tide"} for row in rows)]).notes
    assert "the trace has no look-up tide, which the counters name" in notes
    assert any("times as many reads as the trace, so that only rates compare" in note for note in notes)
    again = [{**row, "hits": row["hits"] % 500} for row in rows]
    assert any(note.startswith("counters began anew ") for note in confirm(day, PLAN, again).notes)
    empty = vg.read_trace({"at": [0], "key": ["a"], "op": ["write"]})
    with pytest.raises(InputError, match="the trace has no reads between 1970-01-01 00:30:00"):
        confirm(empty, PLAN, rows)


def test_a_confirmation_prints_saves_and_compares(day: Trace, tmp_path: Path) -> None:
    found = confirm(day, PLAN, counted(day, changed(PLAN, {"rules.max_entries": 15}), 1800, 7200, 30))
    assert vg.load(vg.save(found, tmp_path / "found.json")) == found
    assert isinstance(found, Confirmation)
    assert max(map(len, str(found).splitlines())) <= 100
    told = found.to_dict()
    assert told["tries"][0]["changes"] == {"rules.max_entries": 15}
    assert told["compared"][0]["differs"] is True
    assert "<table>" in found._repr_html_()
