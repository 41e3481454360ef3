"""What a search tries comes from what the data of each look-up does."""

import numpy as np
import pytest

from tests.telling import told
from vestigo import Plan, Rules, read_trace, synth
from vestigo.choosing.finding.asked import offers_for, rules_asked
from vestigo.choosing.finding.clock import clock_of
from vestigo.choosing.finding.facts import facts_of
from vestigo.choosing.finding.ladders import DURATIONS, ENTRIES, SIZES
from vestigo.choosing.finding.moves import every, first, near
from vestigo.choosing.finding.offers import _FOUND, Offer
from vestigo.choosing.finding.units import Unit, fits
from vestigo.rules.vary import ANY, EACH, FINDABLE
from vestigo.trace import Trace
from vestigo.units import SECOND

MINUTE = 60 * SECOND


def offers(trace: Trace, plan: Plan) -> dict[str, Offer]:
    (found,) = offers_for(plan, [Unit(trace.lookups, ())], facts_of(trace))
    return {offer.rule: offer for offer in found}


def values(offer: Offer) -> list[object]:
    return [next(iter(way.values())) for way in offer.ways]


def test_every_rule_that_can_be_found_has_its_line() -> None:
    assert set(_FOUND) == set(FINDABLE)


def test_ladders_have_what_people_write_coarse_steps_first() -> None:
    between = [step.value for step in DURATIONS.between(9e9, 9e11).level(1)]
    assert between == ["5s", "10s", "30s", "1m", "2m", "5m", "10m"]
    assert [step.value for step in ENTRIES.level(0)][:6] == [1, 5, 10, 50, 100, 500]
    assert [step.value for step in SIZES.beside(5 * 2**20, 1)] == ["4 MiB", "8 MiB"]
    assert [step.value for step in SIZES.beside(5 * 2**20, 2)] == ["4 MiB", "6 MiB"]


def test_that_a_look_up_is_not_cached_is_tried_once_and_left_again() -> None:
    vary = {"each.keep_if": ANY, "each.max_entries": ANY, "each.eviction": ANY}
    (found,) = offers_for(Plan(vary=vary), [Unit(("reads",), ())], facts_of(synth(500, keys=90, seed=1)))
    base = {key: value for offer in found for key, value in offer.now.items()}
    begun = list(first(found, base, False))
    assert [one["lookup.reads.keep_if"] for one in begun].count("none") == 1
    (nothing,) = (one for one in begun if one["lookup.reads.keep_if"] == "none")
    assert not list(near(found, nothing, 0, evicts=True))  # nothing else makes a difference there
    assert all(one["lookup.reads.keep_if"] == "all" for one in near(found, base, 0, evicts=True))
    now = offers_for(Plan(Rules(keep_if="none"), vary=vary), [Unit(("reads",), ())], facts_of(synth(500, keys=90)))
    today = {key: value for offer in now[0] for key, value in offer.now.items()}
    assert "all" in {one["lookup.reads.keep_if"] for one in first(now[0], today, False)}


def test_nothing_is_offered_that_a_trace_cannot_show() -> None:
    plain = offers(read_trace({"at": range(9), "key": list("abcabcabc")}), Plan(vary={EACH: ANY}))
    assert not {"nulls", "on_write", "tell_nodes", "overlap", "batch", "absolute_at"} & plain.keys()
    rich = synth(500, keys=20, nodes=2, changes="10s", nulls="20%", rate=5, seed=1)
    shown = offers(rich, Plan(vary={EACH: ANY}))
    assert {"nulls", "on_write", "overlap", "eviction", "absolute", "sliding"} <= shown.keys()
    assert ("replace", "copy") in [tuple(way.values()) for way in shown["on_write"].ways]
    assert values(shown["absolute"])[-1] == "never" and values(shown["max_entries"])[-1] == "no limit"
    assert values(shown["nulls"])[0] == "skip" and values(shown["nulls"])[-1] == "keep"


def test_lifetimes_lie_between_the_times_of_the_data() -> None:
    trace = read_trace({"at": [n * MINUTE for n in range(200)], "key": [n % 4 for n in range(200)]})
    found = [str(value) for value in values(offers(trace, Plan(vary={"each.absolute": ANY}))["absolute"])]
    assert found[0] == "3m" and "1s" not in found and "1d" not in found and found[-1] == "never"


def test_todays_value_is_a_step_of_the_ladder() -> None:
    plan = Plan(Rules(absolute="7m30s", max_entries=77), vary={"each.absolute": ANY, "each.max_entries": ANY})
    shown = offers(synth(2_000, keys=900, rate=1, seed=1), plan)
    assert "450s" in [str(value) for value in values(shown["absolute"])]
    here = {**shown["absolute"].now, **shown["max_entries"].now}
    beside = [way["lookup.reads.max_entries"] for way in shown["max_entries"].near(here, 2)]
    assert beside == [60, 80, "no limit"]


@pytest.mark.parametrize("late", [0, 20])
def test_changes_on_the_clock_are_recognised(late: int) -> None:
    rng = np.random.default_rng(1)
    moments = np.repeat(np.arange(30) * 10 * MINUTE, 4) + 3 * MINUTE
    at = moments + rng.integers(0, 5 * SECOND, len(moments)) + late * SECOND
    clock = clock_of(at, np.full(len(at), late * SECOND))
    assert clock is not None and clock.period_ns == 10 * MINUTE and clock.share >= 0.9
    begins, ends = clock.times()
    assert begins.startswith("every 10m from 00:03") and ends.startswith("every 10m from 00:03")
    assert len(Rules(absolute_at=begins, zone="UTC").absolute_at.times) == 144
    anywhere = rng.integers(0, 10**14, 200)
    assert clock_of(anywhere, np.zeros(200, np.int64)) is None
    assert clock_of(at, np.full(len(at), 5 * MINUTE)) is None  # nobody knows when they happened
    assert clock_of(at[:10], np.zeros(10, np.int64)) is None  # too few to tell


def test_what_is_stated_for_one_goes_before_what_is_for_each() -> None:
    plan = Plan(vary={"each.absolute": ANY, "lookup.a.absolute": ["1m"], "each.nulls": ["keep"]})
    assert rules_asked(plan, "a") == {"absolute": ("1m",), "nulls": ("keep",)}
    assert rules_asked(plan, "b") == {"absolute": ANY, "nulls": ("keep",)}
    assert set(rules_asked(Plan(), "a")) == {"max_entries", "max_bytes", "absolute", "sliding", "nulls", "keep_if"}


def test_few_combinations_are_all_tried_and_many_are_begun_with() -> None:
    trace = told("0 read a", "9 read a", "20 write a", "31 read a")
    plan = Plan(vary={"each.absolute": ["1s", "5s"], "each.on_write": ["leave", "drop", "replace"]})
    few = list(offers(trace, plan).values())
    base = {key: value for offer in few for key, value in offer.now.items()}
    whole = every(few, base)
    assert whole is not None and len(whole) == 6 and len({tuple(one.values()) for one in whole}) == 6
    many = list(offers(synth(3_000, keys=500, rate=1, changes="10m", seed=1), Plan(vary={EACH: ANY})).values())
    base = {key: value for offer in many for key, value in offer.now.items()}
    assert every(many, base) is None
    begun = list(first(many, base, thrifty=False))
    assert begun[0] == base and len(begun) > len(list(first(many, base, thrifty=True))) > 20
    for one in near(many, begun[1], 0, evicts=False):
        changed = {key for key in one if one[key] != begun[1][key]}
        assert changed and any(changed <= set(offer.keys) for offer in many)
    beside = [{key for key in one if one[key] != base[key]} for one in near(many, base, 0, evicts=False)]
    assert not any("lookup.reads.eviction" in changed for changed in beside)


def test_settings_that_contradict_themselves_do_not_fit() -> None:
    plan = Plan(Rules(absolute="1m"))
    assert fits(plan, {"lookup.a.reload_after": "80%"})
    assert not fits(plan, {"lookup.a.reload_after": "80%", "lookup.a.absolute": "never"})
