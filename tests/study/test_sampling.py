"""Estimates from a sample of the keys are near the truth on skewed traces, and know how near."""

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, reject

from tests.agreement.cases import Case, cases
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
    # Held values are assumed to have the mean size. With few entries, the peak is above that.
    assert estimate.memory_peak == pytest.approx(truth.memory_peak, rel=0.2 if entries == 1000 else 0.1)


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
    try:
        estimate = KeySample(case.trace, "20%", samples=1).estimate(case.plan)
    except RulesError:
        reject()  # two limits in a pool, conditions: what a sample cannot tell
    whole = replay(case.trace, case.plan)
    assert (estimate.hit_rate, estimate.stale_rate) == pytest.approx((whole.hit_rate, whole.stale_rate))
    assert (estimate.stale_hits, estimate.loads) == (whole.stale_hits, whole.loads)


def test_intervals_hold_the_truth_nine_times_in_ten(skewed: Trace) -> None:
    """There are thirty estimates with different seeds and sizes. Fewer than 22 would happen once in two hundred
    times.
    """
    truths = {entries: replay(skewed, Rules(max_entries=entries)).hit_rate for entries in (1000, 5000)}
    held = 0
    for seed in range(15):
        sampler = KeySample(skewed, "10%", seed=seed)
        for entries, truth in truths.items():
            estimate = sampler.estimate(Rules(max_entries=entries))
            held += abs(estimate.hit_rate - truth) <= estimate.errors["hit_rate"]
    assert held >= 22


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
    assert sampled.choose("hit_rate").candidate.name == whole.choose("hit_rate").candidate.name
    for name, candidate in sampled.items():
        assert candidate.result == whole[name].result
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
    with pytest.raises(RulesError, match="11 of them have no room"):
        KeySample(skewed, "5%", samples=11)


def test_one_sample_knows_nothing_of_how_far_off_it_is(skewed: Trace, sampler: KeySample) -> None:
    alone = KeySample(skewed, "5%", samples=1).estimate(Rules(max_entries=2000))
    assert math.isnan(alone.errors["hit_rate"])
    assert "±" not in repr(alone)
    assert repr(sampler.estimate(Rules(max_entries=2000))).count("±") == 2
