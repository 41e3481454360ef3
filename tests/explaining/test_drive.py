"""A driven cache is counted as a replay counts, its first difference is found, and what explains it."""

import functools
import time
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from tests.agreement.cases import UNITS, _rows, trace_of
from tests.explaining.caches import FOREVER, Desk
from tests.slowness import seconds
from tests.telling import told
from vestigo import Clock, InputError, Plan, Pool, Rules, Trace, drive
from vestigo.engine.job import job
from vestigo.explaining.drive.offered import offered
from vestigo.units import SECOND, Duration


@pytest.fixture(scope="module")
def busy() -> Trace:
    """Zipf reads of 300 keys over an hour, some of them nulls; every 40th event is a write."""
    draws = np.random.default_rng(5)
    rows = 6000
    at = np.sort(draws.integers(0, 3600, rows)) * SECOND  # ties, and deadlines that are met to the tick
    key = np.minimum(draws.zipf(1.2, rows), 300)
    op = np.where(np.arange(rows) % 40 == 39, "write", "read")
    found = np.where(op == "write", True, key % 7 != 0)
    return vg.read_trace({"at": at, "key": key, "op": op, "found": found, "lookup": np.where(key % 2, "odd", "even")})


@st.composite
def small_caches(draw: st.DrawFn) -> tuple[Trace, Rules, dict[str, Any]]:
    unit = draw(st.sampled_from(UNITS))
    rows = [row for row in draw(_rows(costs=True, nodes=True)) if row[1] != "preload"]
    plain = [(*row[:8], False, *row[9:]) for row in rows] or [(0, "read", "x", 0, *[None] * 4, False, None, None)]
    most = draw(st.sampled_from([None, 1, 2, 3]))
    spans = {name: draw(st.sampled_from([None, 1, 2, 5])) for name in ("absolute", "sliding")}
    nulls, on_write = draw(st.booleans()), draw(st.sampled_from(["leave", "drop", "replace"]))
    order = draw(st.sampled_from(["use", "arrival"]))
    rules = Rules(
        max_entries=most,
        eviction="lru" if order == "use" else "fifo",
        nulls="keep" if nulls else "skip",
        on_write=on_write,
        per=draw(st.sampled_from(["node", "all"])),
        preload=draw(st.sampled_from([None, None, "start"])),
        **{name: None if span is None else Duration(span * unit) for name, span in spans.items()},
    )
    habits = {name: FOREVER if span is None else span * unit for name, span in spans.items()}
    habits |= {"most": FOREVER if most is None else most, "in_order_of": order, "nulls": nulls, "on_write": on_write}
    return trace_of(plain, unit), rules, habits


@given(small_caches())
def test_a_cache_that_does_as_the_rules_say_is_counted_as_their_replay(
    case: tuple[Trace, Rules, dict[str, Any]],
) -> None:
    trace, rules, habits = case
    clock = Clock()

    def made(_: str | None = None) -> Any:
        desk: Any = Desk(clock, **habits)
        if rules.on_write == "leave":  # it hears of no change
            desk.write = desk.remove = None
        return desk

    if rules.per == "node":
        driven = drive(trace, make=made, settings=rules, clock=clock)
    else:
        desk = made()
        ways = {"write": desk.write, "remove": desk.remove, "clear": desk.clear, "restart": lambda: desk.clear(None)}
        driven = drive(trace, rules, read=desk.read, clock=clock, **ways)  # type: ignore[arg-type]
    assert driven.stopped is None
    assert driven.driven.to_dict() == driven.replayed.to_dict()
    assert (driven.differ, driven.first, driven.explanations) == (0, None, [])
    assert {name: both[0].to_dict() for name, both in driven.lookups.items()} == {
        name: both[1].to_dict() for name, both in driven.lookups.items()
    }


def test_a_function_under_lru_cache_is_driven_as_it_stands(busy: Trace) -> None:
    @functools.lru_cache(maxsize=40)
    def cached(lookup: str, key: int, load: Any) -> Any:
        return load()

    plan = Plan(Rules(nulls="keep"), pools={"all": Pool(lookups=["odd", "even"], max_entries=40)})
    driven = drive(busy, plan, read=cached)
    assert driven.differ == 0
    assert driven.driven.hits == cached.cache_info().hits > 1000
    assert driven.driven.stale_hits == vg.replay(busy, plan).stale_hits > 0


def test_a_dict_of_ones_own_is_driven(busy: Trace) -> None:
    kept: dict[Any, Any] = {}

    def read(lookup: str, key: int, load: Any) -> Any:
        if (lookup, key) not in kept:
            kept[lookup, key] = load()
        return kept[lookup, key]

    driven = drive(busy, Rules(nulls="keep"), read=read)
    assert (driven.differ, driven.driven.misses) == (0, len(kept))


@pytest.mark.parametrize(
    ("habits", "stated", "changes"),
    [
        ({"in_order_of": "arrival"}, {}, {"rules.eviction": "fifo"}),
        ({"most": 50}, {}, {"rules.max_entries": 50}),
        ({"nulls": True}, {}, {"rules.nulls": "keep"}),
        ({"on_write": "drop"}, {}, {"rules.on_write": "drop"}),
        ({"on_write": "replace"}, {}, {"rules.on_write": "replace"}),
        ({"shared": True}, {}, {"pool.all.lookups": ["odd", "even"]}),
        ({"removes_first": True}, {}, {"rules.drop_first": True}),
        ({"absolute": 600 * SECOND}, {}, {"rules.absolute": "10m"}),
        ({"absolute": 300 * SECOND}, {"sliding": "5m"}, {"rules.sliding": "never", "rules.absolute": "5m"}),
        ({"absolute": 60 * SECOND, "still_at_deadline": True}, {"absolute": "1m"}, {"rules.absolute": "60000000001ns"}),
        (
            {"most": 8, "absolute": 60 * SECOND, "collects": True},
            {"max_entries": 8, "absolute": "1m"},
            {"rules.collect": "prompt"},
        ),
    ],
)
def test_what_a_cache_does_otherwise_is_named(
    busy: Trace, habits: dict[str, Any], stated: dict[str, Any], changes: dict[str, Any]
) -> None:
    clock = Clock()
    desk = Desk(clock, **{"most": 30, **habits})
    rules = Rules(**{"max_entries": 30, **stated})
    driven = drive(busy, rules, read=desk.read, write=desk.write, remove=desk.remove, clock=clock)
    assert driven.differ > 0
    assert driven.first is not None
    first = driven.explanations[0]
    assert changes.items() <= dict(first.changes).items(), [one.what for one in driven.explanations]
    assert first.alike > driven.alike
    assert driven.found is not None


def test_the_settings_of_an_unknown_cache_are_found(busy: Trace) -> None:
    clock = Clock()
    desk = Desk(clock, 25, absolute=30 * SECOND, in_order_of="arrival", nulls=True, on_write="drop", shared=True)
    driven = drive(busy, read=desk.read, write=desk.write, remove=desk.remove, clock=clock)
    rules, room = driven.settings.rules_for("odd"), driven.settings.pool_rules("odd")
    assert driven.differ <= driven.driven.reads // 1000
    assert (rules.absolute, str(rules.nulls), rules.on_write) == (Duration.parse("30s"), "keep", "drop")
    assert (room.eviction.name, room.max_entries) == ("fifo", 25)


def test_the_first_difference_is_told_with_the_story_of_its_key() -> None:
    trace = told(
        "0 read a version=1", "1 read b version=1", "2 read a version=1", "3 read c version=1", "4 read a version=2"
    )
    desk = Desk(Clock(), 2, in_order_of="arrival")
    driven = drive(trace, Rules(max_entries=2), read=desk.read)
    assert driven.first is not None
    assert (driven.first.event, driven.first.key, driven.first.driven) == (4, "a", "loaded it")
    assert driven.first.replayed == "answered with a value 4.00 s old, 0 s stale"
    assert driven.first.story.read is not None
    assert [step.what for step in driven.first.story.steps] == ["missed", "loaded", "hit", "changed", "stale hit"]
    assert (driven.only_driven, driven.only_replayed) == (0, 1)


def test_clears_and_restarts_that_a_cache_cannot_be_told_are_left_out_of_both() -> None:
    lines = ("0 read a", "1 restart", "2 read a", "3 clear", "4 read a", "5 read a force=yes")
    kept: dict[Any, Any] = {}
    driven = drive(told(*lines), Rules(), read=lambda lookup, key, load: kept.setdefault(key, kept.get(key) or load()))
    assert (driven.driven.hits, driven.replayed.hits) == (3, 3)
    assert [note.partition(":")[0] for note in driven.notes[:3]] == [
        "1 clear left out, in both",
        "1 restart left out, in both",
        "1 read that asked for a fresh value came as any other, in both",
    ]


def test_what_names_no_node_empties_all() -> None:
    trace = told("0 read a node=n", "0 read a", "1 clear", "2 read a node=n", "3 clear node=n", "4 read a")
    clock = Clock()
    driven = drive(trace, make=lambda _: Desk(clock), settings=Rules(), clock=clock)
    assert (driven.driven.hits, driven.differ) == (0, 0)
    again = drive(
        told("0 read a node=n", "1 read a", "2 clear node=n", "3 read a"), make=lambda _: Desk(clock), settings=Rules()
    )
    assert (again.driven.hits, again.differ) == (1, 0)


def test_a_value_that_is_named_late_is_the_same_value() -> None:
    lines = (
        "0 write a",
        "1 read a",
        "2 read a version=7",
        "3 read a",
        "4 write a version=7",
        "5 read a",
        "6 read a version=8",
    )
    desk = Desk(Clock())
    driven = drive(told(*lines), Rules(), read=desk.read)
    assert (driven.driven.hits, driven.driven.stale_hits, driven.differ) == (4, 1, 0)


@pytest.mark.clock
def test_what_is_stale_is_found_in_no_time_however_many_values_are_named_late() -> None:
    keys = 40_000
    rows = {"at": range(3 * keys), "key": [number // 3 for number in range(3 * keys)], "version": [None, 7, 7] * keys}
    trace = vg.read_trace(rows)
    origin = offered(trace, np.arange(len(trace)), job(trace, Plan(), instant=True))
    at = np.arange(len(trace))
    begun = time.monotonic()
    stale = origin.is_stale(np.maximum(at - 1, 0), at)
    assert time.monotonic() - begun < seconds(1)  # a step for each value and read would be 5 billion
    assert np.flatnonzero(~stale)[:4].tolist() == [0, 1, 2, 4]


def test_a_warm_up_is_driven_and_not_counted(busy: Trace) -> None:
    desk = Desk(Clock(), 30)
    driven = drive(busy, Plan(Rules(max_entries=30), warm_up="10m"), read=desk.read)
    assert driven.driven.reads == vg.replay(busy, Plan(Rules(), warm_up="10m")).reads < busy.reads
    assert driven.differ == 0


def test_the_standard_library_s_clocks_can_be_patched(busy: Trace) -> None:
    before = time.time()
    desk = Desk(lambda: time.monotonic_ns(), 30, absolute=60 * SECOND)
    wall = Desk(lambda: time.time_ns(), 30, absolute=60 * SECOND)
    for one in (desk, wall):
        driven = drive(busy, Rules(max_entries=30, absolute="1m"), read=one.read, clock="patched")
        assert driven.differ == 0
    assert time.time() - before < 60


@pytest.mark.clock
def test_real_time_may_go_faster() -> None:
    trace = told("0 read a", "1 read a", "11 read a", "12 read a")
    desk = Desk(time.monotonic_ns, absolute=SECOND // 2)  # 5 s, ten times faster
    begun = time.monotonic()
    driven = drive(trace, Rules(absolute="5s"), read=desk.read, speed=10)
    assert 1 < time.monotonic() - begun < seconds(5)
    assert (driven.driven.hits, driven.replayed.hits) == (2, 2)


def sleepy(*_: Any) -> None:
    time.sleep(30)


@pytest.mark.clock
@pytest.mark.parametrize(
    ("read", "said"),
    [
        (lambda lookup, key, load: {}[key], "the cache raised KeyError: 'b' (test_drive.py, line "),
        (sleepy, "the cache did not come back"),
        (lambda lookup, key, load: "text", "the cache answered with something of type str, which load() did not give"),
        (lambda lookup, key, load: None, "the cache answered nothing, though it had not called load()"),
        (lambda lookup, key, load: load() and None, "the cache answered nothing, though load() had given it a value"),
    ],
)
def test_a_cache_that_cannot_go_on_is_one_sentence_and_what_was_counted_is_kept(read: Any, said: str) -> None:
    trace = told("0 read a", "1 read a", "2 read b", "3 read a")
    good = functools.lru_cache(lambda lookup, key, load: load())
    driven = drive(trace, Rules(), read=lambda *asked: (read if asked[1] == "b" else good)(*asked), patience="200ms")
    assert driven.stopped is not None
    assert driven.stopped.startswith(f"event 2 (1970-01-01 00:00:02.000, read of reads b): {said}")
    assert (driven.driven.reads, driven.driven.hits, driven.differ) == (2, 1, 0)


def test_a_cache_that_was_driven_before_must_be_emptied() -> None:
    kept: dict[str, Any] = {}
    trace = told("0 read a", "1 read a")
    first, second = (
        drive(trace, Rules(), read=lambda lookup, key, load: kept.setdefault(key, kept.get(key) or load()))
        for _ in range(2)
    )
    assert (first.stopped, first.driven.hits) == (None, 1)
    assert second.stopped == (
        "event 0 (1970-01-01 00:00:00.000, read of reads a): the cache answered with a value of an earlier drive; "
        "empty it before each one"
    )
    assert str(second).startswith("Stopped before the first counted read: event 0 ")


@pytest.mark.clock
def test_waiting_for_real_time_is_no_hanging() -> None:
    driven = drive(told("0 read a", "1 read a"), Rules(), read=Desk(Clock()).read, speed=1, patience="200ms")
    assert (driven.stopped, driven.driven.hits) == (None, 1)


def test_two_keys_under_one_name_are_found() -> None:
    good = functools.lru_cache(lambda first, load: load())
    trace = told("0 read ab", "1 read ac")
    driven = drive(trace, Rules(), read=lambda lookup, key, load: good(key[0], load))
    assert driven.stopped is not None
    said = "the cache answered with the <value of reads ab at event 0>: two keys share one name in it"
    assert driven.stopped.endswith(said)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        ({}, "drive: "),
        ({"read": max, "make": max}, "drive: "),
        ({"make": lambda _: object()}, "make: gave a object, which has no read(lookup, key, load)"),
        ({"read": max, "clock": 5}, 'clock: 5 is not a Clock; give vestigo.Clock(), "patched", or leave it out'),
        ({"read": max, "speed": 0}, "speed: 0 is not a number above 0; write, for example, 100"),
        ({"read": max, "speed": 2, "clock": Clock()}, "speed: real time goes on, so no clock can be given besides"),
        ({"read": max, "patience": "5"}, "patience: '5' is not a duration"),
    ],
)
def test_wrong_arguments_are_said(arguments: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError) as error:
        drive(told("0 read a"), **arguments)
    assert str(error.value).startswith(said)


def test_a_driven_cache_prints_saves_and_compares(busy: Trace, tmp_path: Any) -> None:
    desk = Desk(Clock(), 30, in_order_of="arrival")
    driven = drive(busy, Rules(max_entries=30), read=desk.read)
    assert vg.load(vg.save(driven, tmp_path / "driven.json")) == driven
    shown = str(driven)
    assert shown.startswith("The cache and the replay answered ")
    assert "a hit does not count as a use when it evicts (eviction = fifo)" in shown
    assert max(map(len, shown.splitlines())) <= 100
    assert driven.to_dict()["driven"]["hits"] == driven.driven.hits
    assert "<table>" in driven._repr_html_()


def test_an_empty_trace_is_driven() -> None:
    driven = drive(busy_less := vg.read_trace({"at": [], "key": []}), Rules(), read=max)
    assert (len(busy_less), driven.driven.reads, driven.differ) == (0, 0, 0)


def test_values_can_be_weighed_and_copied() -> None:
    weighed = []

    def read(lookup: str, key: str, load: Any) -> Any:
        value = load()
        weighed.append((len(value), value.__sizeof__(), bool(value)))
        return value

    drive(told("0 read a size=700", "1 read b size=0"), Rules(), read=read)
    assert weighed == [(700, 700, True), (0, 0, True)]


def test_rules_that_the_trace_never_put_to_the_test_are_named() -> None:
    """A lifetime of a minute on 39 seconds: that all reads are alike says nothing of it."""
    trace = told(*(f"{at} read k{at % 5}" for at in range(40)))
    cache = functools.lru_cache(maxsize=3)(lambda lookup, key, load: load())
    driven = drive(trace, Rules(max_entries=3, absolute="60s"), read=cache)
    assert driven.differ == 0
    assert driven.untested == ("rules.absolute = 1m",)
    assert "The trace never put these rules to the test: rules.absolute = 1m." in " ".join(str(driven).split())
    assert driven.to_dict()["untested"] == ["rules.absolute = 1m"]
    tested = drive(trace, Rules(max_entries=3), read=functools.lru_cache(maxsize=3)(lambda lookup, key, load: load()))
    assert tested.untested == ()


def test_what_a_program_drops_is_dropped_in_both() -> None:
    trace = told("0 read a", "1 drop a", "2 read a", "3 read a")
    held: dict[Any, Any] = {}

    def read(lookup: str, key: Any, load: Any) -> Any:
        if key not in held:
            held[key] = load()
        return held[key]

    driven = drive(trace, Rules(), read=read, remove=lambda lookup, key: held.pop(key, None))
    assert (driven.differ, driven.driven.loads) == (0, 2)
    held.clear()
    without = drive(trace, Rules(), read=read)
    assert (without.differ, without.driven.loads) == (0, 1)
    assert "1 drop left out, in both: no `remove` is given" in without.notes
