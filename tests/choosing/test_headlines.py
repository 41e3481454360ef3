"""What headlines say is never contradicted by a number beside them."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given

import vestigo as vg
from tests.agreement.cases import Case, cases
from tests.telling import told
from vestigo import Plan, Rules
from vestigo.describing.verdict import TOO_FAST, WITHIN_REQUEST, WORTH
from vestigo.show.safe import HELD
from vestigo.show.tables import answer as comparison_answer

SECOND = 10**9


@given(cases())
def test_no_settings_pass_what_a_survey_calls_the_most(case: Case) -> None:
    outcome = vg.replay(case.trace, dataclasses.replace(case.plan, warm_up=0))
    found = vg.survey(case.trace)
    assert outcome.hits <= found.total.answerable
    for name, traits in found.lookups.items():
        assert outcome.lookups[name].hits <= traits.answerable
        assert outcome.lookups[name].hits - outcome.lookups[name].stale_hits <= traits.fresh_answerable
        assert traits.scope_answerable <= traits.fresh_answerable <= traits.answerable
        assert traits.null_answerable <= traits.fresh_answerable


@given(cases())
def test_the_fresh_ceiling_has_no_stale_hits(case: Case) -> None:
    found = vg.compare(case.trace, dataclasses.replace(case.plan, warm_up=0))
    assert found["no limits, fresh"].stale_hits == 0
    assert found["no limits, fresh"].hits >= found["today"].hits - found["today"].stale_hits


def test_a_version_that_comes_back_on_another_node_is_the_same_value() -> None:
    lines = (
        "0 write a version=1 node=A",
        "1 read a node=B",
        "2 write a version=2 node=A",
        "3 write a version=1 node=A",
    )
    found = vg.compare(told(*lines, "4 read a node=B"), Rules())["no limits, fresh"]
    assert (found.hits, found.stale_hits) == (1, 0)


def test_reads_and_writes_in_turn_can_all_be_answered_with_fresh_data() -> None:
    rows = [f"{at} {'read' if at % 2 else 'write'} a version={at // 2}" for at in range(400)]
    trace = told(*rows)
    found = vg.survey(trace)
    assert found.verdicts["reads"].kind == WORTH
    assert 'on_write = "replace"' in found.verdicts["reads"].sentence
    assert vg.replay(trace, Rules(on_write="replace")).fresh_hit_rate == found.total.fresh_answerable_share == 1
    assert "0 % with its value unchanged since" in str(found).replace("\n", " ")
    assert "more than 100 %, or more than 100 % with fresh data" in str(found).replace("\n", " ")


def test_what_changes_at_each_read_and_is_never_written_cannot_be_kept() -> None:
    trace = told(*(f"{at} read a version={at}" for at in range(50)))
    assert vg.survey(trace).verdicts["reads"].kind == TOO_FAST


def test_no_share_of_a_part_passes_one() -> None:
    trace = told("0 read a scope=p", "1 read a scope=p", "2 write a", "3 read a scope=p")
    found = vg.survey(trace)
    assert (found.total.scope_repeats, found.total.scope_answerable, found.total.fresh_answerable) == (2, 1, 2)
    inside = told(*(f"{at} read k{at // 10} scope=s{at // 10} version=1" for at in range(200)))
    verdict = vg.survey(inside).verdicts["reads"]
    assert verdict.kind == WITHIN_REQUEST
    assert "100 % of these within one request" in verdict.sentence


def said(comparison: vg.Comparison) -> str:
    return comparison_answer(comparison).plain.replace(HELD, " ")


def test_a_ceiling_says_whose_caches_it_holds_for() -> None:
    lines = [f"{at} read k{at % 7} node=n{at % 3}" for at in range(60)]
    apart = vg.compare(told(*lines), Rules(max_entries=3))
    assert "No settings of caches that do not hear of each other (3 nodes, a cache each)" in said(apart)
    shared = Plan(Rules(max_entries=3), candidates={"one": Plan(Rules(per="all"))})
    both = vg.compare(told(*lines), shared)
    assert "No settings, with one cache for all nodes or news between them," in said(both)
    assert both["no limits"].hits >= vg.replay(told(*lines), Rules(per="all")).hits > apart["no limits"].hits
    alone = said(vg.compare(told("0 read a", "1 read a"), Rules()))
    assert "No settings can answer more than 50.0 %." in alone
    assert "Of the settings compared" not in alone


def test_no_cache_pays_for_no_preloads() -> None:
    trace = told("0 preload a cost=1", "0 preload b cost=2", "5 read a cost=1", "6 read c cost=4")
    found = vg.compare(trace, Rules())
    assert (found["no cache"].loads, found["no cache"].origin_time_ns) == (2, 5 * SECOND)
    assert found["today"].background_loads == 1


@pytest.mark.parametrize("size", [936, 2**36])
def test_the_mean_memory_of_an_advice_is_that_of_a_replay(size: int) -> None:
    lines = [f"{at} read {key} size={size}" for at in range(0, 99, 9) for key in "abc"]
    plan = Plan(Rules(absolute="5s", collect="prompt"), warm_up="45s")
    story = vg.why(told(*lines), plan, key="a")
    for advice in story.advice:
        then = vg.replay(
            told(*lines),
            vg.Plan(Rules(absolute=advice.changes["lookup.reads.absolute"], collect="prompt"), warm_up="45s"),
        )
        assert advice.lookup_memory[1] == pytest.approx(then.memory_mean)
    assert story.advice


def test_reads_at_equal_distances_are_advised_a_little_more() -> None:
    story = vg.why(told(*(f"{at} read a" for at in range(0, 200, 10))), Rules(absolute="5s"), key="a")
    assert story.advice
    best = story.advice[0]
    assert (best.changes["lookup.reads.absolute"], best.hits) == ("15s", 10)


def test_an_entry_that_leaves_memory_late_is_said_to_have_expired_before() -> None:
    story = vg.why(told("0 read a", "31 read a"), Rules(sliding="5s"), key="a")
    assert "left memory, 31.0 s after its last use; it had expired by sliding" in str(story)


def test_the_curve_says_where_it_does_not_know() -> None:
    draws = np.random.default_rng(1)
    key = draws.zipf(1.3, 4000) % 100
    size = np.exp(draws.uniform(np.log(2**10), np.log(22 * 2**20), 100)).astype(int)[key]
    trace = vg.read_trace({"at": np.arange(4000) * SECOND, "key": key, "size": size})
    for limit in ("256 KiB", "1 MiB"):
        rough = vg.size_curve(trace, Rules(max_bytes=limit), lookup="reads")
        assert (rough.at_limit, rough.next_mib, rough.exact_from) == (None, None, int(size.max()) + 64)
        assert "does not fit into the room in question" in str(rough)
    sizes, hits = rough.exact_bytes
    for place in range(0, len(sizes), 20):
        outcome = vg.replay(trace, Rules(max_bytes=int(sizes[place])))
        assert outcome.hits == hits[place]
    assert vg.size_curve(trace, Rules(max_bytes="64 MiB"), lookup="reads").at_limit is not None
