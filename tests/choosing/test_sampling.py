"""Estimates from a sample of the keys are near the truth on skewed traces, and know how near."""

import os
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given

from tests.agreement.cases import Case, cases, without
from vestigo import (
    Interrupted,
    KeySample,
    Plan,
    Pool,
    Rules,
    RulesError,
    Trace,
    WhatIf,
    read_plan,
    read_trace,
    replay,
    sweep,
    synth,
)
from vestigo.demo.files import write_demo

REFUSED = ("keep_if", "hit_cost_per_kib", "max_bytes", "when_full", "eviction=gdsf")
"""Rules that a sample cannot tell, and those that need them."""


@pytest.fixture(scope="module")
def skewed() -> Trace:
    return synth(reads=400_000, keys=60_000, skew=0.9, changes="10h", seed=8)


@pytest.fixture(scope="module")
def sampler(skewed: Trace) -> KeySample:
    return KeySample(skewed, "10%")


@pytest.mark.parametrize("entries", [1000, 5000, 20_000])
@pytest.mark.parametrize("more", [{}, {"eviction": "s3-fifo"}, {"absolute": "10m", "sliding": "2m"}])
def test_a_tenth_of_the_keys_is_within_half_a_point(
    skewed: Trace, sampler: KeySample, entries: int, more: dict[str, str]
) -> None:
    rules = Rules(max_entries=entries, **more)
    estimate, truth = sampler.estimate(rules), replay(skewed, rules)
    assert estimate.hit_rate == pytest.approx(truth.hit_rate, abs=0.005)
    assert estimate.stale_rate == pytest.approx(truth.stale_rate, abs=0.01)
    assert estimate.loads == pytest.approx(truth.loads, rel=0.02)
    assert "memory_peak" not in estimate.told


@pytest.mark.parametrize("warm_up", ["1m", 100_000])
def test_what_comes_in_the_warm_up_is_not_counted(skewed: Trace, sampler: KeySample, warm_up: str | int) -> None:
    plan = Plan(Rules(max_entries=5000, absolute="10m"), warm_up=warm_up)
    estimate, truth = sampler.estimate(plan), replay(skewed, plan)
    assert estimate.hit_rate == pytest.approx(truth.hit_rate, abs=0.005)
    assert estimate.loads == pytest.approx(truth.loads, rel=0.02)
    assert truth.hit_rate > replay(skewed, Plan(plan.rules)).hit_rate


def test_a_sample_replays_the_hottest_keys_and_a_part_of_the_others(skewed: Trace) -> None:
    hottest = np.sort(np.bincount(skewed.key))[::-1]
    always, others = hottest[:20].sum() / len(skewed), hottest[20:].sum() / len(skewed)
    assert KeySample(skewed, "10%").share_of_events == pytest.approx(always + 0.1 * others, abs=0.005)
    few = synth(reads=1000, keys=50, seed=1)
    assert KeySample(few, "10%").share_of_events == 1  # too few to divide


def test_limits_in_bytes_and_shared_pools(skewed: Trace, sampler: KeySample) -> None:
    rules = Rules(max_bytes="4 MiB")
    assert sampler.estimate(rules).hit_rate == pytest.approx(replay(skewed, rules).hit_rate, abs=0.005)
    plan = Plan(pools={"all": Pool(lookups=skewed.lookups, max_bytes="4 MiB", eviction="sieve")})
    assert sampler.estimate(plan).hit_rate == pytest.approx(replay(skewed, plan).hit_rate, abs=0.005)


@given(cases())
def test_where_no_key_stands_for_another_an_estimate_is_the_replay_itself(case: Case) -> None:
    plan = without(case.plan, *REFUSED)
    estimate = KeySample(case.trace, "20%", samples=1).estimate(plan)
    whole = replay(case.trace, plan)
    assert (estimate.hit_rate, estimate.stale_rate) == pytest.approx((whole.hit_rate, whole.stale_rate))
    assert (estimate.stale_hits, estimate.loads) == (whole.stale_hits, whole.loads)


def drawn_trace(draws: np.random.Generator) -> Trace:
    more: dict[str, Any] = {}
    if (changes := str(draws.choice(["never", "10m", "1h", "10h"]))) != "never":
        more["changes"] = changes
    if draws.random() < 0.3:
        more["scans"] = 2
    if draws.random() < 0.3:
        more["nodes"] = 3
    reads, keys = int(draws.choice([100_000, 300_000])), int(draws.choice([5000, 20_000, 60_000]))
    return synth(reads=reads, keys=keys, skew=float(draws.uniform(0.5, 1.3)), seed=int(draws.integers(1e6)), **more)


def drawn_rules(draws: np.random.Generator, keys: int) -> Rules:
    rules: dict[str, Any] = {"on_write": str(draws.choice(["leave", "drop"]))}
    match draws.choice(["entries", "entries", "bytes", "none"]):
        case "entries":
            rules["max_entries"] = int(np.exp(draws.uniform(np.log(100), np.log(keys))))
        case "bytes":
            rules["max_bytes"] = int(np.exp(draws.uniform(np.log(2**18), np.log(2**25))))
        case _:
            rules["absolute"] = "1m"
    if len(rules) > 1 and "absolute" not in rules:
        rules["eviction"] = str(draws.choice(["lru", "slru", "sieve", "s3-fifo", "fifo", "2q"]))
    if draws.random() < 0.5:
        rules["absolute"] = str(draws.choice(["5s", "30s", "2m", "10m"]))
    if draws.random() < 0.25:
        rules["sliding"] = str(draws.choice(["3s", "20s", "1m"]))
    return Rules(**rules)


def test_bars_hold_the_truth_whatever_the_trace_and_the_settings() -> None:
    """In at least 85 of 100 cases, for every measure that is told: a few fixed cases here, 200 and more in `make
    explore`. Of few cases, one more may miss.
    """
    is_long = "VESTIGO_CASES" in os.environ
    draws = np.random.default_rng(int(os.environ.get("VESTIGO_SEED", "11")))
    held, told = Counter[str](), Counter[str]()
    for _ in range(60 if is_long else 4):
        trace = drawn_trace(draws)
        for _ in range(4):
            rules = drawn_rules(draws, len(trace.keys))
            truth = replay(trace, rules)
            for share in ("1%", "10%"):
                found = KeySample(trace, share, seed=int(draws.integers(1e6))).estimate(rules)
                assert rules.max_bytes is None or found.memory_peak <= rules.max_bytes * max(len(trace.nodes), 1)
                for name in found.told:
                    told[name, share] += 1
                    held[name, share] += abs(getattr(found, name) - getattr(truth, name)) <= found.errors[name]
    assert {name for name, _ in told} == {"hit_rate", "fresh_hit_rate", "stale_rate", "stale_hits", "loads"}
    for which, number in told.items():
        assert held[which] >= 0.85 * number - (not is_long), (which, held[which], number)


def test_a_sample_whose_keys_fill_a_pool_tells_nothing(skewed: Trace) -> None:
    rough = KeySample(skewed, "1%").estimate(Rules(max_entries=300))
    assert rough.told == []
    assert rough.to_dict()["errors"]["hit_rate"] is None
    assert "too small to tell anything" in str(rough) and "too rough to tell" in repr(rough)


def test_no_estimate_is_beyond_a_limit() -> None:
    trace = synth(300_000, keys=50_000, skew=0.9, seed=5)
    assert KeySample(trace, "1%").estimate(Rules(max_bytes="1 MiB")).memory_peak <= 2**20


def test_what_is_asked_of_another_trace_is_not_told_of_this_one(skewed: Trace, sampler: KeySample) -> None:
    rules = Rules(max_entries=5000, absolute="10m")
    more = Plan(rules, what_if=WhatIf(nodes=4))
    before, apart, after = (sampler.estimate(one) for one in (rules, more, rules))
    assert before == after
    assert apart.hit_rate == pytest.approx(replay(skewed, more).hit_rate, abs=0.01)


def test_plain_sampling_would_be_far_off(skewed: Trace) -> None:
    """The sampler is better than plain sampling, where chance decides about each key and limits are scaled."""
    rng = np.random.default_rng(1)
    from vestigo.trace.shape import of_rows

    errors = []
    for _ in range(5):
        chosen = rng.random(len(skewed.keys)) < 0.1
        part = of_rows(skewed, np.flatnonzero(chosen[skewed.key]))
        errors.append(
            abs(replay(part, Rules(max_entries=500)).hit_rate - replay(skewed, Rules(max_entries=5000)).hit_rate)
        )
    assert max(errors) > 0.01


def test_the_demo_of_small_look_ups_is_taken_whole(tmp_path: object) -> None:
    """Five of its six look-ups have too few keys to divide. Their estimates are exact, except for what others share."""
    trace, plan = (read(path) for read, path in zip((read_trace, read_plan), write_demo(str(tmp_path)), strict=True))
    one = Plan(
        plan.rules, {**plan.lookups, "chart": {"max_entries": "no limit", "max_bytes": "8 MiB"}}, warm_up=plan.warm_up
    )
    estimate, truth = KeySample(trace, "20%").estimate(one), replay(trace, one)
    assert estimate.hit_rate == pytest.approx(truth.hit_rate, abs=0.01)


def test_a_sampled_sweep_replays_what_no_other_beats(skewed: Trace) -> None:
    plan = Plan(
        Rules(max_entries=500, absolute="1h"),
        candidates={"mine": Plan(Rules(max_entries=700))},
        vary={"rules.max_entries": [1000, 5000, 20_000], "rules.eviction": ["mru", "lru", "sieve", "s3-fifo"]},
    )
    whole, sampled = sweep(skewed, plan), sweep(skewed, plan, sample="10%")
    assert len(sampled.estimates) == len(whole) == 14
    assert {"today", "mine"} < set(sampled)
    assert len(sampled) < len(whole)
    assert sampled.choose(most="hit_rate").candidate.name == whole.choose(most="hit_rate").candidate.name
    for name, candidate in sampled.items():
        assert candidate == whole[name]
    assert "14 were estimated from 10% of the keys" in sampled.notes[0]


def test_a_sampled_sweep_that_was_stopped_estimates_nothing_again(
    skewed: Trace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = Plan(
        Rules(max_entries=500), vary={"rules.max_entries": [1000, 2000, 4000], "rules.eviction": ["lru", "fifo"]}
    )
    told_of: list[tuple[str, int, int]] = []

    def stop(what: str, done: int, of: int) -> None:
        told_of.append((what, done, of))
        if (what, done) == ("estimates", 3):
            raise KeyboardInterrupt

    with pytest.raises(Interrupted, match=r"stopped after 3 of 7 estimates; the same call goes on from there"):
        sweep(skewed, plan, sample="10%", results=tmp_path / "r", progress=stop)
    assert told_of == [("estimates", number, 7) for number in (1, 2, 3)]
    told_of.clear()

    def tell(what: str, done: int, of: int) -> None:
        told_of.append((what, done, of))

    study = sweep(skewed, plan, sample="10%", results=tmp_path / "r", progress=tell)
    assert [done for what, done, _ in told_of if what == "estimates"] == [4, 5, 6, 7]
    anew = sweep(skewed, plan, sample="10%")
    assert {name: one.to_dict() for name, one in study.estimates.items()} == {
        name: one.to_dict() for name, one in anew.estimates.items()
    }
    assert study.replayed == len(study) + 3 == anew.replayed
    told_of.clear()

    def not_asked(*_: object, **__: object) -> KeySample:
        raise AssertionError("no sample is needed where all estimates are known")

    monkeypatch.setattr(KeySample, "__init__", not_asked)
    assert sweep(skewed, plan, sample="10%", results=tmp_path / "r", progress=tell).to_dict() == study.to_dict()
    assert not told_of


@pytest.mark.parametrize("at", [[], [5]])
def test_nothing_and_next_to_nothing_are_estimated(at: list[int]) -> None:
    trace = read_trace({"at": at, "key": ["a"] * len(at)})
    plan = Plan(Rules(max_entries=3), vary={"rules.max_entries": [4, 5]})
    study = sweep(trace, plan, sample="10%")
    assert [one.loads for one in study.estimates.values()] == [len(at)] * 3
    assert [one.measure("loads", part) for one in study.values() for part in ("first", "rest")] == [len(at)] * 2 * len(
        study
    )


def test_candidates_that_a_sample_cannot_tell_apart_are_replayed_once(skewed: Trace) -> None:
    """Lifetimes of 500 hours and more are none on a trace of one: all of them give the same."""
    hours = [f"{number}h" for number in range(500, 520)]
    plan = Plan(Rules(max_entries=500), vary={"rules.max_entries": [1000, 5000], "rules.absolute": hours})
    study = sweep(skewed, plan, sample="10%")
    assert len(study.estimates) == 41
    assert list(study) == ["today", "max_entries=1000, absolute=500h", "max_entries=5000, absolute=500h"]


@pytest.mark.parametrize(
    ("rules", "says"),
    [
        ({"max_entries": 5, "max_bytes": "1 MiB"}, "two limits"),
        ({"max_entries": 5, "eviction": "gdsf"}, "weighs single entries"),
        ({"max_entries": 5, "keep_if": "size <= 1 KiB"}, "size of a single value"),
    ],
)
def test_what_a_sample_cannot_tell_is_refused(sampler: KeySample, rules: dict[str, object], says: str) -> None:
    with pytest.raises(RulesError, match=says):
        sampler.estimate(Rules(**rules))


def test_shares_that_make_no_samples_are_refused(skewed: Trace) -> None:
    with pytest.raises(RulesError, match="not between 0% and 50%"):
        KeySample(skewed, "60%")
    with pytest.raises(RulesError, match="11 samples of 5% have no room"):
        KeySample(skewed, "5%", samples=11)


def test_one_sample_knows_nothing_of_how_far_off_it_is(skewed: Trace, sampler: KeySample) -> None:
    alone = KeySample(skewed, "5%", samples=1).estimate(Rules(max_entries=2000))
    assert alone.told == []
    assert "±" not in repr(alone)
    assert repr(sampler.estimate(Rules(max_entries=2000))).count("±") == 2
