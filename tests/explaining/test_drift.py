"""Two recordings: what is different, what that does, and whether the settings are still good."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from vestigo.explaining.drift import altered
from vestigo.explaining.drift.chance import beside
from vestigo.explaining.drift.effects import Recording, effects
from vestigo.explaining.drift.traits import Stretches, traits, width_for
from vestigo.prepared.truth import truths
from vestigo.progress import say_nothing
from vestigo.trace import Op
from vestigo.units import SECOND

HOUR = 3600 * SECOND
BEGINS = 1_773_705_600 * SECOND


def recording(
    seed: int, hours: float = 4, keys: int = 200, changes: float = 0.02, other_keys: int = 50, **more: object
) -> vg.Trace:
    """Two look-ups, "a" with `keys` and `changes` for each read, "b" with `other_keys`; 5 reads a second."""
    draws = np.random.default_rng(seed)
    reads = int(hours * 3600 * 5)
    is_a = draws.random(reads) < 0.6
    key = np.where(is_a, keys * draws.random(reads) ** 1.5, draws.integers(0, other_keys, reads))
    version = np.cumsum(draws.random(reads) < changes)
    return vg.read_trace(
        {
            "at": BEGINS + np.sort(draws.integers(0, int(hours * HOUR), reads)),
            "lookup": np.where(is_a, "a", "b"),
            "key": np.int64(key),
            "version": np.where(is_a, version // 7, 0),
            "cost": draws.integers(1_000_000, 20_000_000, reads),
            "size": draws.integers(100, 2000, reads),
            **more,
        }
    )


PLAN = vg.Plan(vg.Rules(max_entries=60, absolute="2h", overlap="join"))


@pytest.fixture(scope="module")
def doubled() -> vg.Drift:
    """Between the recordings, "a" gets three times as many keys."""
    return vg.drift(recording(1), recording(2, keys=600), PLAN)


def test_effects_add_up_to_what_two_replays_say(doubled: vg.Drift) -> None:
    rates = [vg.replay(recording(*which), PLAN).fresh_hit_rate for which in ((1,), (2, 4, 600))]
    assert doubled.rates == tuple(rates)
    assert sum(one.gain for one in doubled.effects) == pytest.approx(rates[1] - rates[0], abs=1e-12)


def test_what_was_changed_is_what_is_found(doubled: vg.Drift) -> None:
    largest = doubled.effects[0]
    assert (largest.lookup, largest.trait) == ("a", "keys") and largest.gain < -0.02
    assert 2 < largest.after / largest.before < 3.2
    others = [abs(one.gain) for one in doubled.effects if one.lookup == "b"]
    assert max(others) < abs(largest.gain) / 5
    assert ("a", "keys") in [(one.lookup, one.name) for one in doubled.found]
    assert all(one.lookup == "a" for one in doubled.found)


def test_two_recordings_of_the_same_traffic_differ_by_chance_alone() -> None:
    found = vg.drift(recording(1), recording(7), PLAN)
    assert found.found == [] and found.traits
    assert all(abs(one.gain) < 0.01 for one in found.effects)


@given(st.integers(0, 1000), st.booleans(), st.sampled_from([20, 80, 300]), st.sampled_from([0.0, 0.02, 0.2]))
def test_effects_always_add_up(seed: int, is_shared: bool, keys: int, changes: float) -> None:
    nodes = {"node": np.random.default_rng(seed).choice(["n", "m"], 3600)}
    before = recording(seed, hours=0.2, **nodes)
    after = recording(seed + 1, hours=0.2, keys=keys, changes=changes, other_keys=keys // 2, **nodes)
    pools = {"shared": vg.Pool(lookups=["a", "b"], max_entries=40)} if is_shared else {}
    plan = vg.Plan(vg.Rules(absolute="2m", sliding="1m", jitter="10%"), pools=pools, warm_up="1m")
    moved = vg.replay(after, plan).fresh_hit_rate - vg.replay(before, plan).fresh_hit_rate
    found = effects(*Recording.both(before, after, plan), "fresh_hit_rate", say_nothing)
    assert sum(one.gain for one in found) == pytest.approx(moved, abs=1e-12)


def test_a_look_up_that_only_one_recording_has_counts_by_its_share() -> None:
    before, after = recording(1), recording(2)
    alone = vg.read_trace(after.to_pandas().query("lookup == 'a'"))
    found = vg.drift(before, alone, PLAN)
    assert found.only_before == ["b"] and found.only_after == []
    of_b = [one for one in found.effects if one.lookup == "b"]
    assert [one.trait for one in of_b] == ["mix"] and of_b[0].after == 0.0 < of_b[0].before
    assert sum(one.gain for one in found.effects) == pytest.approx(found.rates[1] - found.rates[0], abs=1e-12)


def test_settings_that_fit_the_old_traffic_are_no_longer_good() -> None:
    small, large = recording(1, keys=40), recording(2, keys=900)
    plan = vg.Plan(vg.Rules(max_entries=100), aim=vg.Aim(most="hit_rate", limits={"loads": "<= 6000"}))
    found = vg.drift(small, large, plan)
    assert found.broken_before == () and [one.limit.name for one in found.broken_after] == ["loads"]
    assert not found.is_good(0.5) and "They break origin calls <= 6,000" in found.in_words
    same = vg.drift(small, recording(3, keys=40), found.pick.plan)
    assert same.is_good(0.01)


def test_without_a_limit_the_best_may_take_as_much_memory_as_the_settings(doubled: vg.Drift) -> None:
    assert [str(one) for one in doubled.pick.aim.each_limit] == ["memory peak <= today"]
    assert doubled.pick.candidate.memory_peak <= doubled.pick.among.today.memory_peak


def test_it_is_told_kept_and_drawn(doubled: vg.Drift, tmp_path: Path) -> None:
    told = doubled.to_dict()
    assert told["effects"][0]["trait"] == "keys" and told["answer"] == doubled.in_words
    assert len(doubled.to_pandas()) == len(doubled.effects)
    vg.save(doubled, tmp_path / "drift.json")
    assert vg.load(tmp_path / "drift.json") == doubled
    axis = vg.figures.drift(doubled)
    names = [label.get_text() for label in axis.get_yticklabels()]
    assert names[0] == "the earlier recording" and names[-1] == "the later recording"
    assert any("times as many keys" in name for name in names)
    text = str(doubled)
    assert "Where the" in text and "what is different" in text and "a: 3.00 times as many keys" in text


def test_a_recording_without_reads_is_refused() -> None:
    nothing = recording(1).block(0, 0)
    with pytest.raises(vg.InputError, match="holds no reads, so there is nothing to compare"):
        vg.drift(nothing, recording(1), PLAN)


def test_short_recordings_are_compared_without_a_word_on_chance() -> None:
    found = vg.drift(recording(1, hours=0.1), recording(2, hours=0.1, keys=900), PLAN)
    assert found.found == [] and "too short to tell a difference from chance" in str(found)
    assert found.effects


def of_changes(trace: vg.Trace, lookup: int) -> int:
    """The number of times that a key of a look-up has another value than before."""
    value = truths(trace).value
    rows = np.flatnonzero(trace.lookup == lookup)
    rows = rows[np.lexsort((rows, trace.key[rows]))]
    same_key = np.diff(trace.key[rows]) == 0
    return int(np.count_nonzero(same_key & (np.diff(value[rows]) != 0)))


def test_fewer_changes_of_one_look_up_leave_the_other_as_it_is() -> None:
    trace = recording(1, changes=0.3)
    half, none = (altered.fewer_changes(trace, 0, share) for share in (0.5, 0.0))
    all_of_a = of_changes(trace, 0)
    assert all_of_a > 1000 and of_changes(none, 0) == 0
    assert 0.45 < of_changes(half, 0) / all_of_a < 0.55
    for changed in (half, none):
        assert len(changed) == len(trace) and of_changes(changed, 1) == of_changes(trace, 1)
        only_b = vg.Plan(vg.Rules(max_entries=20, absolute="1m"))
        now, then = (vg.replay(one, only_b).lookups["b"] for one in (trace, changed))
        assert now == then


def test_a_change_by_a_write_is_left_out_with_its_write() -> None:
    trace = vg.read_trace(
        {
            "at": range(6),
            "key": ["k"] * 6,
            "op": ["read", "write", "read", "write", "read", "read"],
            "lookup": ["a"] * 6,
        }
    )
    assert altered.fewer_changes(trace, 0, 0.0).op.tolist() == [Op.READ] * 4


def test_fewer_nulls_more_keys_and_fewer_reads() -> None:
    trace = recording(1, found=np.random.default_rng(9).random(4 * 3600 * 5) < 0.7)
    half = altered.fewer_nulls(trace, 0, 0.5)
    nulls = [np.count_nonzero((one.found == 0) & (one.lookup == 0)) for one in (trace, half)]
    assert 0.45 < nulls[1] / nulls[0] < 0.55
    assert np.count_nonzero(half.lookup == 1) == np.count_nonzero(trace.lookup == 1)
    more = altered.more_keys(trace, 1, 2.5)
    keys = [len(np.unique(one.key[one.lookup == 1])) for one in (trace, more)]
    assert keys == [50, 125] and more.reads == trace.reads
    reads = [np.count_nonzero(one.lookup == 0) for one in (trace, altered.fewer_reads(trace, 0, 0.25))]
    assert 0.23 < reads[1] / reads[0] < 0.27


def test_amounts_like_those_of_another_recording() -> None:
    trace, draws = recording(1), np.random.default_rng(2)
    wanted = draws.integers(5000, 9000, 500)
    sized = altered.sizes_like(trace, 0, wanted)
    of_a = trace.lookup == 0
    assert np.quantile(sized.size[of_a], 0.5) == pytest.approx(np.quantile(wanted, 0.5), rel=0.02)
    assert (sized.size[~of_a] == trace.size[~of_a]).all()
    order = np.argsort(trace.size[of_a], kind="stable")
    assert (np.diff(sized.size[of_a][order]) >= 0).all()
    assert np.quantile(altered.costs_like(trace, 1, wanted).cost[~of_a], 0.5) < 9000


def test_the_traits_of_a_stretch_are_those_counted_by_hand() -> None:
    minute = 60 * SECOND
    trace = vg.read_trace(
        {
            "at": [minute, minute + 10 * SECOND, minute + 30 * SECOND, 2 * minute, 2 * minute + SECOND, 3 * minute - 1],
            "key": ["x", "x", "y", "x", "z", "z"],
            "version": [1, 2, 1, 2, 1, 1],
            "size": [10, 20, 30, 40, 50, 60],
            "found": [True, True, True, True, True, False],
            "cost": [SECOND] * 6,
        }
    )
    found = traits(trace, 0, Stretches.of(trace, minute))
    assert found["reads"].tolist() == [180.0, 180.0] and found["keys"].tolist() == [2.0, 2.0]
    assert found["changes"].tolist() == [60.0, 60.0]  # x at once, and z when it is gone
    assert found["sizes"].tolist() == [20.0, 45.0] and found["nulls"].tolist() == pytest.approx([0.0, 1 / 3])
    assert found["popularity"].tolist() == pytest.approx([2 / 3, 2 / 3]) and found["origin"].tolist() == [1.0, 1.0]
    assert found["reuse"].tolist() == pytest.approx([10.0, 59.0 - 1e-9])


def test_the_same_times_of_day_are_compared() -> None:
    """A day that is busy at noon, beside another with a twentieth more: the spread of the day is no chance."""
    draws = np.random.default_rng(4)
    day = 100 + 80 * np.sin(np.arange(24) / 24 * 2 * np.pi)
    some, other = Stretches(0, 24, HOUR), Stretches(24 * 7, 24, HOUR)
    before, after = (day * more + draws.normal(0, 1, 24) for more in (1.0, 1.05))
    assert beside(before, after, some, other).is_more_than_chance
    assert not beside(before, day + draws.normal(0, 1, 24), some, other).is_more_than_chance
    assert not beside(
        before[:20], after[:20], Stretches(0, 20, 60 * SECOND), Stretches(900, 20, 60 * SECOND)
    ).is_more_than_chance


def test_stretches_are_as_long_as_both_recordings_allow() -> None:
    minute = 60 * SECOND
    assert width_for(recording(1), recording(2, hours=9.5)) == 15 * minute
    assert width_for(recording(1, hours=9.5), recording(2, hours=9.5)) == 60 * minute
    assert width_for(recording(1, hours=0.1), recording(2)) is None
