"""What is best within limits that are turned by hand."""

from pathlib import Path

import pytest

from tests.choosing.test_search import mixed
from vestigo import Aim, Plan, Rules, RulesError, search
from vestigo.choosing.best_within import BestWithin
from vestigo.errors import GivenUp
from vestigo.measures import MEASURES
from vestigo.stopping import Stop, stoppable
from vestigo.trace import Trace

AIM = Aim(most="hit_rate", limits={"memory_peak": "<= 600 KiB", "stale_rate": "<= 5 %", "loads": "<= today"})
PLAN = Plan(Rules(max_entries=20), aim=AIM)


@pytest.fixture(scope="module")
def trace() -> Trace:
    return mixed()


@pytest.fixture(scope="module")
def best(trace: Trace) -> BestWithin:
    return BestWithin(trace, PLAN)


def test_it_answers_what_the_search_would_choose(best: BestWithin, trace: Trace) -> None:
    asked = {"memory_peak": "500 KiB", "stale_rate": "2 %"}
    found = best.ask(asked)
    assert found is not None
    stated = {name: f"<= {text}" for name, text in asked.items()}
    pick = search(trace, PLAN).choose(**stated, loads="<= today")
    assert pick.proof is not None
    assert found.candidate.hit_rate == pick.candidate.hit_rate
    assert found.proof.bound == pick.proof.bound >= best.reached(found.candidate) == pick.value(pick.candidate)
    assert found.candidate.memory_peak <= 500 * 1024 and found.candidate.stale_rate <= 0.02
    assert found.candidate.loads <= best.find().today.loads


def test_what_is_not_limited_by_hand_has_no_limit(best: BestWithin) -> None:
    free, small = best.ask({}), best.ask({"memory_peak": "300 KiB"})
    assert free is not None and small is not None
    assert free.candidate.memory_peak > 600 * 1024 > small.candidate.memory_peak
    assert free.candidate.hit_rate > small.candidate.hit_rate


def test_limits_that_nothing_keeps_have_no_answer(best: BestWithin) -> None:
    assert best.ask({"memory_peak": "1 B"}) is None
    with pytest.raises(RulesError, match=r"aim.memory_peak: .* has no unit"):
        best.ask({"memory_peak": "16"})


def test_the_line_descends_and_its_points_are_best_within_their_memory(best: BestWithin) -> None:
    line = list(best.line({"stale_rate": "2 %", "memory_peak": "300 KiB"}))  # how much memory, the line says itself
    peaks, hits = [one.memory_peak for one in line], [one.hit_rate for one in line]
    assert len(line) > 5 and peaks == sorted(peaks, reverse=True) and hits == sorted(hits, reverse=True)
    assert all(one.stale_rate <= 0.02 for one in line)
    for one in line[:: len(line) // 3]:
        asked = {"stale_rate": "2 %", "memory_peak": MEASURES["memory_peak"].amount_text(one.memory_peak)}
        found = best.ask(asked)
        assert found is not None and found.candidate.hit_rate <= one.hit_rate * 1.005


def test_the_search_tells_how_far_it_is_can_be_given_up_and_is_kept(trace: Trace, tmp_path: Path) -> None:
    given_up = BestWithin(trace, PLAN, tmp_path / "kept.results")

    class Later(Stop):
        def check(self) -> None:
            if given_up.tried.done > 20:
                self.ask()
            super().check()

    with stoppable(Later()), pytest.raises(GivenUp):
        given_up.find()
    assert given_up.tried.done > 20
    found = given_up.find()  # whoever asks next
    assert given_up.tried.done == sum(found.tried.values()) == given_up.tried.wanted
