"""What an outcome says of itself: stable names, rates in [0, 1], plain conversions."""

import json

import pytest

from tests.telling import replayed, told
from vestigo import Rules, replay
from vestigo.outcome import CAUSES, Spans

KEYS = """reads hits joined misses stale_hits joined_stale false_nulls nulls_read nulls_hit loads background_loads
batched evictions expirations drops clears refusals raced hit_rate fresh_hit_rate stale_rate byte_hit_rate
entries_peak memory_peak memory_mean idle_memory read_time time_saved origin_time answer_age stale_known stale_age
surge failed failed_loads served_on_failure slow_reads failed_rate slow_rate waiting_peak origin_wait
origin_stated""".split()

LINES = (
    "0 read a cost=2 lookup=x\n 3 read a lookup=x\n 4 write a lookup=x\n 5 read a lookup=x\n 6 read b cost=4 lookup=y"
)


def test_the_key_names_of_an_outcome_are_stable(engine: str) -> None:
    found = replayed(engine, LINES).to_dict()
    assert list(found) == [*KEYS, "whose", "assumptions", "lookups"]
    assert list(found["lookups"]) == ["x", "y"]
    assert list(found["lookups"]["x"]) == KEYS
    assert list(found["misses"]) == list(CAUSES)
    assert list(found["read_time"]) == ["mean", "p50", "p95", "p99", "max"]
    assert list(found["answer_age"]) == list(found["stale_age"]) == ["mean", "p95", "max"]
    assert list(found["surge"]) == ["second", "minute"]
    assert json.loads(json.dumps(found, allow_nan=False)) == found


def test_the_rates_follow_from_the_counts(engine: str) -> None:
    outcome = replayed(engine, LINES)
    assert (outcome.reads, outcome.hits, outcome.stale_hits) == (4, 2, 1)
    assert (outcome.hit_rate, outcome.fresh_hit_rate, outcome.stale_rate) == (0.5, 0.25, 0.25)
    assert outcome.misses == 2
    found = outcome.to_dict()
    assert found["origin_time"] == pytest.approx(6)
    assert found["read_time"]["max"] == pytest.approx(4)
    assert found["read_time"]["mean"] == pytest.approx((2 + 4 + 2e-6) / 4)
    assert found["time_saved"] == pytest.approx(2 * 2 - 2e-6)  # a read without a cost takes the median of the others
    assert found["answer_age"] == {"mean": 4, "p95": 5, "max": 5}
    assert found["stale_known"]


def test_an_outcome_converts_and_prints(engine: str) -> None:
    outcome = replayed(engine, LINES)
    frame = outcome.to_pandas()
    assert list(frame.index) == ["x", "y", "all"]
    assert frame.loc["all", "read_time.max"] == pytest.approx(4)
    assert "hit rate 50.0 %" in repr(outcome)
    assert "<table" in outcome._repr_html_()


def test_a_look_ups_name_is_escaped_in_html(engine: str) -> None:
    assert "<script>" not in replayed(engine, "0 read a lookup=<script>")._repr_html_()


def test_percentiles_are_by_nearest_rank() -> None:
    spans = Spans.of([10, 20, 30, 40])
    assert [spans.percentile(p) for p in (0, 25, 26, 50, 99, 100)] == [10, 10, 20, 20, 40, 40]
    assert Spans.of([]).percentile(50) == 0


def test_percentiles_are_exact_where_few_distinct_spans_occur(engine: str) -> None:
    lines = "\n".join(f"{at} read k{at} cost={[0.01, 0.0101, 0.5][at % 20 % 3]}" for at in range(60))
    outcome = replayed(engine, lines, hit_cost="0s")
    assert [outcome.read_time(p) for p in (30, 50, 60, 95)] == [0.01, 0.0101, 0.0101, 0.5]
    always = replayed(engine, "0 read a cost=0.01\n1 read b cost=0.01\n2 read c cost=0.01")
    assert always.read_time(95) == 0.01


def test_a_trace_that_shows_no_changes_tells_nothing_of_staleness(engine: str) -> None:
    silent = replayed(engine, "0 read a\n1 read a found=yes")
    assert (silent.changes, silent.stale_known, silent.to_dict()["stale_known"]) == ("nowhere", False, False)
    assert replayed(engine, "0 read a version=1\n1 read a").changes == "in reads"
    both = replayed(engine, "0 read a version=1 lookup=x\n1 remove b lookup=y\n2 read c lookup=z")
    assert (both.changes, both.lookups["y"].changes, both.lookups["z"].changes) == ("in reads", "in writes", "nowhere")
    assert "stale unknown" in repr(silent)


def test_whose_cache_was_replayed_is_said_where_the_trace_names_nodes(engine: str) -> None:
    lines = "0 read a node=n\n1 read a node=m\n2 read a node=n"
    assert replayed(engine, lines).whose == "2 nodes, a cache each"
    shared = replayed(engine, lines, per="all")
    assert (shared.whose, "2 nodes share one cache" in shared.assumptions) == ("2 nodes, one cache for all", True)
    assert replayed(engine, lines, per="scope").whose == "a cache for each scope"
    assert replayed(engine, "0 read a\n1 read a").whose == ""


def test_what_numbers_rest_on_is_said(engine: str) -> None:
    said = replay(told("0 read a size=5", "1 read a", "2 read b lookup=y cost=1"), Rules(), engine=engine).assumptions
    assert said == (
        "an overhead of 64 bytes an entry",
        "1 read without a size: the look-up's median is used",
        "a size of 1.00 KiB for 1 read",
        "a cost of 0s for 2 reads",
    )
    assert replayed(engine, "0 read a size=5 cost=1").assumptions == ()
