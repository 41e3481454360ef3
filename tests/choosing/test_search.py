"""A search finds what a grid that is tried to the end finds, and its bound holds."""

import ctypes
import dataclasses
import itertools
import os
import pickle
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

from vestigo import (
    Aim,
    Interrupted,
    Plan,
    Pool,
    Rules,
    RulesError,
    Search,
    Trace,
    UnknownName,
    Worth,
    figures,
    load,
    read_trace,
    replay,
    save,
    search,
    sweep,
    synth,
)
from vestigo.choosing.finding.attempts import Attempts
from vestigo.choosing.finding.questions import Asked
from vestigo.choosing.finding.silence import silenced
from vestigo.choosing.pick import cost
from vestigo.outcome.alone import Alone
from vestigo.rules.aim import Limit

LOOKUPS = ("busy", "calm", "wide")
VALUES = {"max_entries": [5, 20, 80, 300], "absolute": ["20s", "never"]}
EACH = {f"each.{rule}": values for rule, values in VALUES.items()}


def mixed(seed: int = 1, reads: int = 2_000) -> Trace:
    """Three look-ups of different kinds, with writes, nulls and costs, on two servers."""
    kinds = {
        "busy": {"keys": 60, "skew": 1.1, "changes": "10m", "nulls": "10%"},
        "calm": {"keys": 200, "skew": 0.7, "changes": "1h", "size": "3 KiB"},
        "wide": {"keys": 900, "skew": 0.4, "cost": "40ms"},
    }
    frames = []
    for number, (name, kind) in enumerate(kinds.items()):
        made = synth(reads, nodes=2, rate=2, seed=seed + number, **kind)  # type: ignore[arg-type]
        frames.append(made.to_pandas().assign(lookup=name))
    return read_trace(pd.concat(frames, ignore_index=True))


@pytest.fixture(scope="module")
def trace() -> Trace:
    return mixed()


@pytest.fixture(scope="module")
def grid(trace: Trace) -> object:
    """Every combination of what is set for each look-up."""
    vary = {f"lookup.{name}.{rule}": values for name in LOOKUPS for rule, values in VALUES.items()}
    return sweep(trace, Plan(Rules(max_entries=20), vary=vary))


@pytest.fixture(scope="module")
def found(trace: Trace) -> Search:
    return search(trace, Plan(Rules(max_entries=20), vary=EACH))


AIMS = [
    Aim(most="hit_rate", limits={"memory_peak": "<= 400 KiB"}),
    Aim(most="hit_rate", limits={"memory_peak": "<= today + 50 %"}),
    Aim(most="fresh_hit_rate", limits={"stale_rate": "<= 2 %", "memory_peak": "<= 600 KiB"}),
    Aim(most="fresh_hit_rate", limits={"loads": "<= today - 5 %", "memory_peak": "<= 1 MiB"}),
    Aim(least="loads", limits={"memory_mean": "<= 300 KiB", "memory_peak": "<= 2 MiB"}),
    Aim(least="origin_time", limits={"evictions": "<= 2000", "memory_peak": "<= 2 MiB"}),
    Aim(most="time_saved", limits={"time_saved": ">= 1s", "memory_peak": "<= 500 KiB"}),
    Aim(least="memory_peak", limits={"hit_rate": ">= 45 %"}),
    Aim(least="memory_peak", limits={"read_time.mean": "<= 13ms"}),
    Aim(most="hit_rate", limits={"answer_age.mean": "<= 30s", "memory_peak": "<= 1 MiB"}),
    Aim(most="hit_rate", limits={"answer_age.max": "<= 100s", "memory_peak": "<= 1 MiB"}),
    Aim(most="hit_rate", limits={"false_nulls": "<= 3", "memory_peak": "<= 1 MiB"}),
    Aim(least="memory_peak", limits={"surge.minute": "<= today"}),
    Aim(most="byte_hit_rate", limits={"memory_peak": "<= 500 KiB"}),
    Aim(least="stale_age.mean", limits={"hit_rate": ">= 40 %", "memory_peak": "<= 1 MiB"}),
    Aim(worth=Worth(million_loads=4.0, gib_month=900.0, stale_read=0.0001)),
]


@pytest.mark.parametrize("aim", AIMS, ids=str)
def test_a_search_finds_what_the_whole_grid_has_best(found: Search, grid: object, aim: Aim) -> None:
    of_grid, of_search = grid.choose(aim), found.choose(aim)  # type: ignore[attr-defined]
    assert of_search.is_met == of_grid.is_met is True
    best, mine = (cost(found, aim, pick.candidate) for pick in (of_grid, of_search))
    proof = of_search.proof
    if proof is None:  # today's settings are better than all that was to be tried
        assert mine <= best
        return
    assert mine <= best + 2e-3 * abs(best)  # a change that brings nearly nothing is left out
    assert proof.reached == pytest.approx(abs(best), rel=1e-3)
    sign = np.sign(best) or 1.0
    assert sign * proof.bound <= best + 1e-6 * abs(best)
    assert proof.combinations == 8**3


OF_LONGEST = [
    Aim(least="read_time.p50", limits={"memory_peak": "<= 500 KiB"}),
    Aim(least="read_time.p95", limits={"memory_peak": "<= 1 MiB", "stale_rate": "<= 5 %"}),
    Aim(least="answer_age.p95", limits={"hit_rate": ">= 35 %"}),
    Aim(least="stale_age.p95", limits={"hit_rate": ">= 40 %", "loads": "<= 3600"}),
    Aim(least="answer_age.max", limits={"hit_rate": ">= 30 %"}),
]


@pytest.mark.parametrize("aim", OF_LONGEST, ids=str)
def test_percentiles_and_maxima_can_be_made_best(found: Search, grid: object, aim: Aim) -> None:
    of_grid, of_search = grid.choose(aim), found.choose(aim)  # type: ignore[attr-defined]
    assert of_search.is_met == of_grid.is_met is True and of_search.proof is not None
    best, mine = (found.choose(aim).value(pick.candidate) for pick in (of_grid, of_search))
    assert of_search.proof.bound <= best <= mine <= best * 1.01
    assert of_search.proof.bound >= best * 0.99  # which proves that it is nearly the best


def test_percentiles_are_kept_as_limits(found: Search, grid: object) -> None:
    aim = Aim(least="memory_peak", limits={"read_time.p50": "<= 8ms"})
    of_grid, of_search = grid.choose(aim), found.choose(aim)  # type: ignore[attr-defined]
    assert of_grid.is_met and of_search.is_met
    assert of_search.candidate.memory_peak <= of_grid.candidate.memory_peak * 1.01
    assert of_search.candidate.read_time(50) <= 0.008


def test_units_alone_add_up_to_the_whole(trace: Trace, found: Search) -> None:
    answers = found.answers
    assert answers is not None
    chosen = [attempts[-1] for attempts in answers.attempts.lists]
    whole = answers.candidate("last", chosen)
    outcome = replay(trace, whole.plan)
    assert whole.whole.to_dict() == outcome.to_dict()
    for name in ("hits", "stale_hits", "loads", "evictions", "read_time_ns", "held_byte_ns", "origin_time_ns"):
        assert sum(getattr(one.alone.whole, name) for one in chosen) == getattr(outcome, name)
    ends, mosts = (np.sum([getattr(one.alone, what) for one in chosen], axis=0) for what in Alone._fields[3:])
    assert ends.max() <= outcome.memory_peak <= mosts.max()


def test_settings_can_be_found_without_any_values(trace: Trace) -> None:
    made = search(trace)
    pick = made.choose()
    assert pick.proof is not None and pick.among is made
    free = replay(trace, Rules())
    assert pick.proof.bound >= pick.proof.reached >= free.fresh_hit_rate
    assert 0.985 * pick.proof.reached <= pick.candidate.fresh_hit_rate
    assert pick.candidate.memory_peak <= free.memory_peak
    assert made.settings.short == "no rules"
    kinds = {one.kind: one for one in made.would_bring}
    assert kinds["to see writes"].gain > 0.01 and "busy" in kinds["to see writes"].lookups


def test_less_memory_gives_less(trace: Trace) -> None:
    made = search(trace, Plan(vary=EACH))
    rows = [made["found"], *(made[name] for name in made.by_memory)]
    assert len(rows) > 4
    for more, less in itertools.pairwise(rows):
        assert less.memory_peak < more.memory_peak
        assert less.fresh_hit_rate <= more.fresh_hit_rate


def test_a_change_that_brings_nothing_is_not_made(found: Search) -> None:
    pick = found.choose(Aim(most="hit_rate", limits={"memory_peak": "<= 400 KiB"}))
    assert pick.proof is not None and pick.proof.worth
    for one in pick.proof.worth:
        assert not one.keeps_limits or one.without < pick.candidate.hit_rate
        assert dict(one.today) != dict(one.now)
    plan = pick.candidate.plan
    for key, value in pick.candidate.changes.items():
        _, name, rule = key.split(".")
        assert plan.rules_for(name).written(rule, getattr(plan.rules_for(name), rule)) == value


def test_a_candidate_of_the_plan_that_is_better_is_taken(trace: Trace) -> None:
    aim = Aim(most="fresh_hit_rate")
    told = Plan(
        Rules(max_entries=2),
        candidates={"told": {"on_write": "replace", "tell_nodes": "copy", "nulls": "keep"}},
        vary={"each.absolute": ["1s", "2s"]},
        aim=aim,
    )
    pick = search(trace, told).choose()
    assert (pick.candidate.name, pick.proof) == ("told", None)
    assert pick.because[0].startswith("The plan's candidate 'told' is best, with fresh hits ")
    assert pick.because[1].startswith("What varies gives ")


def test_limits_that_nothing_keeps_name_the_closest(trace: Trace) -> None:
    pick = search(trace, Plan(vary=EACH)).choose(memory_peak="<= 1 KiB", hit_rate=">= 99 %")
    assert not pick.is_met
    assert pick.because[0].startswith(
        "Nothing that was tried keeps the limits over the whole time. The closest breaks "
    )


def test_the_front_of_two_measures_is_not_beaten_by_any_combination(found: Search, grid: object) -> None:
    front = found.front(("hit_rate", "memory_peak"))
    assert len(front) > 6
    for one in front:
        for other in grid.values():  # type: ignore[attr-defined]
            if other.memory_peak <= one.memory_peak:
                assert other.hit_rate <= one.hit_rate + 5e-3


def test_what_is_stated_for_a_look_up_goes_before_what_is_for_each(trace: Trace) -> None:
    vary = {"each.absolute": ["20s", "5m"], "lookup.wide.absolute": ["7m"], "lookup.calm.max_entries": [3]}
    made = search(trace, Plan(vary=vary))
    assert made.tried == {"busy": 2 + 1, "calm": 2 * 1 + 1, "wide": 1 + 1}  # today's are tried, too
    assert made.combinations == 18


def test_a_shared_pool_is_set_as_one(trace: Trace) -> None:
    plan = Plan(
        pools={"both": Pool(lookups=["busy", "calm"], max_entries=20)}, vary={"each.max_entries": [10, 100, 1000]}
    )
    made = search(trace, dataclasses.replace(plan, aim=Aim(most="hit_rate", limits={"memory_peak": "<= 1 MiB"})))
    assert sorted(made.tried.values()) == [4, 4]
    pick = made.choose()
    assert pick.is_met and "pool.both.max_entries" in pick.candidate.changes


def test_keys_with_rules_of_their_own_keep_them(trace: Trace) -> None:
    keys = {"busy": {"1{...}": {"absolute": "1s"}}}
    pick = search(trace, Plan(keys=keys, vary=EACH)).choose()
    assert pick.plan.keys == Plan(keys=keys).keys
    assert replay(trace, pick.plan).to_dict() == pick.candidate.whole.to_dict()


def test_what_is_preloaded_stays_as_it_is(trace: Trace) -> None:
    plan = Plan(Rules(preload="start", preload_cost="1s"), vary={**EACH, "each.per": ["node", "all"]})
    pick = search(trace, plan).choose()
    assert not any(key.endswith(".per") for key in pick.candidate.changes)
    assert replay(trace, pick.plan).to_dict() == pick.candidate.whole.to_dict()


@pytest.mark.parametrize(
    ("vary", "says"),
    [
        ({"each.absolute": "any", "rules.sliding": ["1m"]}, "write each.sliding"),
        ({"rules.absolute": "any"}, "write each.absolute"),
        ({"each.pin": "any"}, "a search finds no values for pin"),
        (
            {"lookup.a.preload": ["start", "never"], "each.absolute": "any"},
            "lookup.a.preload: adds events to the trace",
        ),
        ({"each": ["1m"]}, 'write each = "any"'),
        ({"each.absolute": ["soon"]}, "each.absolute"),
        ({"each.nothing": ["soon"]}, "nothing"),
    ],
)
def test_what_a_search_cannot_vary_is_refused(vary: dict[str, object], says: str) -> None:
    with pytest.raises(RulesError, match="vary") as raised:
        Plan(vary=vary)  # type: ignore[arg-type]
    assert says in str(raised.value)


def test_what_does_not_go_with_a_search_is_refused(trace: Trace) -> None:
    with pytest.raises(RulesError, match=r"vestigo\.search"):
        sweep(trace, Plan(vary=EACH))
    with pytest.raises(RulesError, match="sets all look-ups at once"):
        search(trace, Plan(vary={"rules.absolute": ["1m"]}))
    with pytest.raises(UnknownName, match="'bussy' is unknown"):
        search(trace, Plan(vary={"lookup.bussy.absolute": "any"}))
    with pytest.raises(RulesError, match="engine"):
        search(trace, Plan(vary=EACH), engine="reference")
    with pytest.raises(RulesError, match="cannot keep"):
        search(trace, Plan(vary=EACH, aim=Aim(limits={"answer_age.max": ">= 1s"})))


def test_a_later_search_takes_what_was_kept(trace: Trace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    plan, made = Plan(vary={"each.absolute": "any", "each.max_entries": [10, 100]}), []
    once = Attempts._try
    monkeypatch.setattr(Attempts, "_try", lambda self, asked: made.append(asked) or once(self, asked))
    first = search(trace, plan, results=tmp_path / "r").choose()
    many = len(made)
    again = search(trace, plan, results=tmp_path / "r").choose()
    assert again.to_dict() == first.to_dict()
    assert many > 20
    assert len(made) - many < 8  # what the check on held-out time asks for, after the search


def test_a_search_ends_when_its_time_is_over(trace: Trace) -> None:
    quick = search(trace, Plan(vary={"each": "any"}), seconds=0.001)
    assert sum(quick.tried.values()) < sum(search(trace, Plan(vary={"each": "any"})).tried.values())
    assert quick.choose().candidate.name == "today"  # nothing else was tried


def stop_in_round(number: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Ctrl-C comes when settings are to be tried for this time."""
    once, rounds = Attempts.make, []

    def stopped(self: Attempts, wanted: object) -> int:
        rounds.append(1)
        if len(rounds) == number:
            raise KeyboardInterrupt
        return once(self, wanted)  # type: ignore[arg-type]

    monkeypatch.setattr(Attempts, "make", stopped)


def test_a_search_that_is_stopped_answers_with_what_it_has(trace: Trace, monkeypatch: pytest.MonkeyPatch) -> None:
    stop_in_round(3, monkeypatch)
    with pytest.raises(Interrupted, match="stopped after ") as raised:
        search(trace, Plan(vary={"each.absolute": "any", "each.max_bytes": "any"}))
    assert isinstance(raised.value.found, Search)
    assert raised.value.found.choose().is_met


def test_a_search_is_saved_with_its_candidates(found: Search, tmp_path: Path) -> None:
    again = load(save(found, tmp_path / "found.json"))
    assert again == found and again.answers is None
    assert again.choose(most="hit_rate").candidate.name in again
    pick = found.choose(most="hit_rate", memory_peak=["<= 400 KiB", "<= 1 GiB"])
    assert "1.00 GiB" not in pick.because[0]
    assert load(save(pick, tmp_path / "pick.json")).proof == pick.proof
    assert pickle.loads(pickle.dumps(found)) == found


def test_what_the_solver_prints_does_not_reach_stdout(capfd: pytest.CaptureFixture[str]) -> None:
    c = ctypes.CDLL(None)
    with silenced():
        c.puts(b"HighsMipSolverData::transformNewIntegerFeasibleSolution tmpSolver.run();")
        c.puts(b"what somebody else prints")
        os.write(1, b"in pieces\n")
    os.write(1, b"after it\n")
    assert sorted(capfd.readouterr().out.splitlines()) == ["after it", "in pieces", "what somebody else prints"]


def test_the_solver_is_silent(trace: Trace, capfd: pytest.CaptureFixture[str]) -> None:
    search(trace, Plan(vary=EACH, aim=Aim(limits={"stale_rate": "<= 1 %", "memory_peak": "<= 300 KiB"}))).choose()
    assert capfd.readouterr() == ("", "")


def test_a_notebook_shows_the_tables_of_a_search(found: Search) -> None:
    shown = found.choose()._repr_html_()
    assert "object at" not in shown
    assert shown.count("<table>") == 3 and "best fresh hits" in shown


def test_what_each_change_is_worth_is_drawn(found: Search, trace: Trace) -> None:
    pick = found.choose(most="hit_rate", memory_peak="<= 400 KiB")
    assert pick.proof is not None
    axis = figures.worth(pick)
    assert len(axis.patches) == len(pick.proof.worth) > 1
    assert figures.front(found, pick).get_title(loc="left") == f"{len(found):,} candidates"
    told = sweep(trace, Plan(vary={"rules.max_entries": [5, 50]}))
    with pytest.raises(RulesError, match="no search found it"):
        figures.worth(told.choose())


def test_more_settings_are_told_to_bring_nothing_only_where_they_do(found: Search) -> None:
    assert found.answers is not None
    whole, told = found.answers.questions, set()
    for mib, first in itertools.product((0.05, 0.1, 0.2, 0.4), range(1, min(map(len, whole.lists)))):
        asked = Asked(Aim(most="hit_rate"), (Limit("memory_peak", "<=", mib * 2**20),))
        here = found.answers.questions_about([each[:first] for each in whole.lists]).best(asked)
        best = whole.best(asked)
        if here is None or best is None:
            continue
        could = whole.could_gain(asked, here.cost, [first] * len(whole.lists))
        assert could or best.cost >= here.cost - 1e-9
        told.add(could)
    assert told == {True, False}


def test_what_other_rules_would_bring_is_said_in_the_aims_own_words(trace: Trace) -> None:
    prices = Worth(million_loads=1e6, currency="EUR")
    for aim, says in (
        (Aim(most="hit_rate"), " points more, by "),
        (Aim(least="loads"), " less, by "),
        (Aim(worth=prices), " EUR less, by "),
    ):
        made = search(trace, Plan(vary={"each.max_entries": [5, 80]}, aim=aim))
        assert made.would_bring and says in str(made.choose())
