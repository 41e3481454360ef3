"""What an outcome says of itself: stable names, rates in [0, 1], plain conversions."""

import json

import pytest

from tests.telling import replayed
from vestigo.outcome import CAUSES, Spans

KEYS = """reads hits joined misses stale_hits joined_stale ghosts nulls_read nulls_hit loads background_loads
batched evictions expirations drops clears refusals raced hit_rate fresh_hit_rate stale_rate byte_hit_rate
entries_peak memory_peak memory_mean idle_memory read_time origin_time stale_age surge""".split()

LINES = (
    "0 read a cost=2 lookup=x\n 3 read a lookup=x\n 4 write a lookup=x\n 5 read a lookup=x\n 6 read b cost=4 lookup=y"
)


def test_the_key_names_of_an_outcome_are_stable(engine: str) -> None:
    found = replayed(engine, LINES).to_dict()
    assert list(found) == [*KEYS, "lookups"]
    assert list(found["lookups"]) == ["x", "y"]
    assert list(found["lookups"]["x"]) == KEYS
    assert list(found["misses"]) == list(CAUSES)
    assert list(found["read_time"]) == ["mean", "p50", "p95", "p99", "max"]
    assert list(found["stale_age"]) == ["mean", "p95", "max"]
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
