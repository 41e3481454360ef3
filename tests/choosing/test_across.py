"""Settings for several recordings at once, and a choice that is checked on another recording."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vestigo as vg
from tests.cli.calling import run
from tests.few import few
from vestigo.choosing.elsewhere import checked_on

SIZES = [5, 20, 80, 200]


def mean(each: list[float]) -> float:
    """Both recordings have as many reads."""
    return sum(each) / len(each)


TOGETHER: dict[str, Callable[[list[float]], float]] = {
    **dict.fromkeys(("hit_rate", "fresh_hit_rate", "read_time.mean", "read_time.p95"), mean),
    **dict.fromkeys(("loads", "origin_time", "time_saved", "evictions"), sum),
    **dict.fromkeys(("memory_peak", "surge.second", "read_time.max"), max),
}
"""What several recordings have of a measure."""


def recording(seed: int, keys: int, **more: Any) -> vg.Trace:
    return vg.synth(reads=3000, keys=keys, seed=seed, changes="10m", cost="20ms", **more)


SMALL, LARGE = recording(1, 40), recording(2, 300)


def grid(**aim: Any) -> vg.Plan:
    vary = {"rules.max_entries": SIZES, "rules.absolute": ["1m", "20m", "never"]}
    return vg.Plan(vg.Rules(max_entries=10), vary=vary, aim=vg.Aim(**aim))


@few(20)
@given(
    st.sampled_from(sorted(TOGETHER)),
    st.sampled_from(["all", "worst"]),
    st.sampled_from([{}, {"memory_peak": "<= 60 KiB"}, {"stale_rate": "<= 5 %"}, {"loads": "<= 700"}]),
)
def test_of_a_grid_the_best_is_the_best_by_hand(best: str, of: str, limits: dict[str, str]) -> None:
    way = "most" if best in ("hit_rate", "fresh_hit_rate", "time_saved") else "least"
    found = vg.across([SMALL, LARGE], grid(**{way: best}, of=of, limits=limits))
    tried = [vg.sweep(one, grid(**{way: best}, limits=limits)) for one in (SMALL, LARGE)]
    aim = vg.Aim(**{way: best}, limits=limits)
    amounts = []
    for name in tried[0]:
        both = [sweep[name] for sweep in tried]
        if all(limit.allows(one.measure(limit.name)) for one in both for limit in aim.each_limit):
            each = [one.measure(best) for one in both]
            worst = min(each) if way == "most" else max(each)
            whole = TOGETHER[best](each)
            amounts.append(worst if of == "worst" else whole)
    assert found.is_met is bool(amounts)
    if amounts:
        wanted = max(amounts) if way == "most" else min(amounts)
        assert found.together(found.pick) == pytest.approx(wanted, rel=1e-12)


@pytest.mark.parametrize(("best", "counted"), [("answer_age.mean", "hits"), ("stale_age.p95", "stale_hits")])
def test_ages_are_weighed_by_the_answers_that_have_one(best: str, counted: str) -> None:
    found = vg.across([SMALL, LARGE], grid(least=best, limits={"hit_rate": ">= 20 %"}))
    ages, hits = ([one.measure(name) for one in found.pick] for name in (best, counted))
    assert hits[0] != hits[1] and all(hits)
    by_hand = sum(age * of for age, of in zip(ages, hits, strict=True)) / sum(hits)
    assert found.together(found.pick) == pytest.approx(by_hand, rel=1e-12)


def test_a_search_keeps_the_limits_on_each_and_comes_near_to_what_each_has_alone() -> None:
    aim = vg.Aim(most="hit_rate", limits={"memory_peak": "<= 100 KiB"})
    found = vg.across({"small": SMALL, "large": LARGE}, vg.Plan(vg.Rules(max_entries=10), aim=aim))
    assert found.recordings == ("small", "large") and found.is_met
    assert all(one.memory_peak <= 100 * 1024 for one in found.pick)
    assert found.together(found.pick) > 0.98 * found.together(found.alone) > found.together(found.today)
    again = [vg.replay(one, found.plan).hit_rate for one in (SMALL, LARGE)]
    assert found.amounts(found.pick) == pytest.approx(again, abs=1e-12)


def of_two(a_keys: int, b_keys: int) -> vg.Trace:
    frames = [recording(7, keys).to_pandas().assign(lookup=name) for name, keys in (("a", a_keys), ("b", b_keys))]
    return vg.read_trace(pd.concat(frames, ignore_index=True))


def test_look_ups_are_mixed_where_each_recording_tells_of_another() -> None:
    """Each recording needs room for another look-up, so neither's best settings are good for the other."""
    traces, aim = [of_two(300, 6), of_two(6, 300)], vg.Aim(most="hit_rate", limits={"memory_peak": "<= 300 KiB"})
    rooms = [3, 30, 300]
    found = vg.across(traces, vg.Plan(vg.Rules(max_entries=3), vary={"each.max_entries": rooms}, aim=aim))
    vary = {f"lookup.{name}.max_entries": rooms for name in ("a", "b")}
    whole = vg.across(traces, vg.Plan(vg.Rules(max_entries=3), vary=vary, aim=aim))
    assert found.is_met and found.together(found.pick) == whole.together(whole.pick)


def test_recordings_may_lack_look_ups() -> None:
    alone = vg.read_trace(SMALL.to_pandas().assign(lookup="a"))
    other = vg.read_trace(LARGE.to_pandas().assign(lookup="b"))
    plan = vg.Plan(lookups={"a": {"max_entries": 20}, "b": {"max_entries": 9}})
    found = vg.across([alone, other], plan)
    assert found.is_met and found.together(found.pick) >= found.together(found.today)
    with pytest.raises(vg.RulesError, match="the plan's look-up is not in the trace: 'c'"):
        vg.across([alone, other], vg.Plan(lookups={"c": {"max_entries": 20}}))


def test_limits_that_no_settings_keep_are_named_with_their_recording() -> None:
    found = vg.across({"small": SMALL, "large": LARGE}, grid(most="hit_rate", limits={"hit_rate": ">= 95 %"}))
    assert not found.is_met and {one.recording for one in found.broken} == {"large"}
    assert found.in_words.startswith("Nothing that was tried keeps the limits on each of 2 recordings.")


def test_what_cannot_be_chosen_for() -> None:
    with pytest.raises(vg.InputError, match="there is only one recording"):
        vg.across([SMALL], grid(most="hit_rate"))
    with pytest.raises(vg.InputError, match="holds no reads"):
        vg.across([SMALL, SMALL.block(0, 0)], grid(most="hit_rate"))
    with pytest.raises(vg.RulesError, match=r"aim\.of: 'best' is neither"):
        vg.Aim(of="best")


def test_it_is_told_and_kept(tmp_path: Path) -> None:
    found = vg.across([SMALL, LARGE], grid(least="read_time.mean", of="worst"))
    vg.save(found, tmp_path / "across.json")
    assert vg.load(tmp_path / "across.json") == found
    assert found.to_dict()["recordings"].keys() == {"recording 1", "recording 2"}
    assert "the worst" in str(found) and len(found.to_pandas()) == 6
    assert vg.Aim.from_dict(found.aim.to_dict()) == found.aim and "of='worst'" in repr(found.aim)


def test_a_choice_is_checked_on_another_recording() -> None:
    pick = vg.sweep(SMALL, grid(most="hit_rate", limits={"memory_peak": "<= 60 KiB"})).choose()
    same, other = checked_on(pick, SMALL, "same"), checked_on(pick, LARGE, "other")
    assert same.elsewhere is not None and other.elsewhere is not None
    assert same.elsewhere.value == pick.candidate.hit_rate and same.holds
    assert other.elsewhere.value == vg.replay(LARGE, pick.plan).hit_rate
    assert [one.limit.name for one in other.elsewhere.broken] == ["memory_peak"] and not other.holds
    said = [one for one in other.because if one.startswith("Check on")]
    assert len(said) == 1 and "these settings give hit rate" in said[0] and "break memory peak" in said[0]
    with pytest.raises(vg.InputError, match="holds no reads"):
        checked_on(pick, SMALL.block(0, 0))


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    vg.write_trace(SMALL, tmp_path / "small.parquet")
    vg.write_trace(LARGE, tmp_path / "large.parquet")
    grid(most="hit_rate", of="worst", limits={"memory_peak": "<= 60 KiB"}).write(tmp_path / "plan.toml")
    return tmp_path


def test_the_command_chooses_for_all(folder: Path) -> None:
    assert 'of = "worst"' in (folder / "plan.toml").read_text()
    assert vg.read_plan(folder / "plan.toml").aim.of == "worst"
    done = run("choose", "small.parquet", "--also", "large.parquet", "--write", "new.toml", "--no-results", cwd=folder)
    assert done.returncode == 0, done.stderr
    said = " ".join(done.stdout.split())
    assert "on 2 recordings in the worst of them" in said and "small.parquet" in said and "large.parquet" in said
    told = json.loads(run("choose", "small.parquet", "--also", "large.parquet", "--json", cwd=folder).stdout)
    written = vg.read_plan(folder / "new.toml")
    rates = [vg.replay(one, written).hit_rate for one in (SMALL, LARGE)]
    assert told["together"]["pick"] == pytest.approx(min(rates)) and told["is_met"]
    done = run("choose", "small.parquet", "--also", "large.parquet", "--front", cwd=folder)
    assert done.returncode == 2 and "--front: is for one recording" in done.stderr


def test_the_command_checks_on_another_recording(folder: Path) -> None:
    done = run("choose", "small.parquet", "--rest-from", "large.parquet", "--no-results", cwd=folder)
    assert done.returncode == 1 and "Check on large.parquet: these settings give hit rate" in done.stdout
    assert "held-out" not in done.stdout
    done = run("choose", "small.parquet", "--rest-from", "small.parquet", "--no-results", "--json", cwd=folder)
    told = json.loads(done.stdout)
    assert done.returncode == 0 and told["holds"] and told["elsewhere"]["recording"] == "small.parquet"
