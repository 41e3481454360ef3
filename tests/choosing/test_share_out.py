"""A budget is divided where memory brings most, and replays have the last word."""

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo import Plan, Pool, Rules, RulesError, Trace, read_plan, read_trace, replay, share_out, size_curve
from vestigo.choosing.share_out import _hull
from vestigo.demo.files import write_demo


def of_two(few: int, many: int, reads: int = 4000) -> Trace:
    """Uniform reads of few keys, and of many. Every value takes 100 bytes with its overhead."""
    rng = np.random.default_rng(1)
    lookup = rng.integers(0, 2, reads)
    key = np.where(lookup == 0, rng.integers(0, few, reads), rng.integers(0, many, reads))
    return read_trace(
        {"at": np.arange(reads), "key": key, "lookup": np.array(["few", "many"])[lookup], "size": np.full(reads, 36)}
    )


def test_memory_goes_where_it_brings_most() -> None:
    trace = of_two(20, 500)
    sharing = share_out(trace, Rules(), "10 kB")
    assert sum(sharing.shares.values()) == 10_000
    assert 2000 <= sharing.shares["few"] < 2100
    assert sharing.is_best
    gained = sharing.by_curves.measure("hit_rate") - sharing.sweep["evenly"].measure("hit_rate")
    assert gained == pytest.approx(
        0.5 * (78 - 50) / 500, abs=0.008
    )  # so many more of the many are there for half the reads
    assert replay(trace, sharing.plan).hit_rate == sharing.by_curves.measure("hit_rate")
    assert "few 2.0" in repr(sharing)


def test_no_other_division_in_steps_is_better() -> None:
    """Every division of 12 entries among three look-ups, tried."""
    rng = np.random.default_rng(5)
    lookup = rng.integers(0, 3, 3000)
    key = rng.integers(0, np.array([3, 6, 12])[lookup])
    trace = read_trace(
        {"at": np.arange(3000), "key": key, "lookup": np.array(["a", "b", "c"])[lookup], "size": np.full(3000, 36)}
    )
    curves = [size_curve(trace, lookup=name) for name in "abc"]

    def hits(entries: tuple[int, ...]) -> float:
        return sum(one.hit_rate(many) * one.reads for one, many in zip(curves, entries, strict=True))

    best = max(hits(one) for one in product(range(13), repeat=3) if sum(one) == 12)
    shares = share_out(trace, Rules(), 1212).shares  # a step of a curve is up to 1% wide
    assert hits(tuple(shares[name] // 100 for name in "abc")) >= 0.98 * best


@given(st.lists(st.tuples(st.integers(1, 50), st.integers(1, 50)), min_size=1, max_size=12))
def test_a_hull_is_no_lower_than_its_curve_and_ever_flatter(steps: list[tuple[int, int]]) -> None:
    sizes, hits = np.cumsum([size for size, _ in steps]), np.cumsum([more for _, more in steps])
    pieces = _hull(sizes, hits)
    slopes = [more / size for size, more in pieces]
    assert slopes == sorted(slopes, reverse=True)
    x, y = np.cumsum([0, *(size for size, _ in pieces)]), np.cumsum([0, *(more for _, more in pieces)])
    assert np.all(np.interp(sizes, x, y) >= hits - 1e-9)
    assert (x[-1], y[-1]) == (sizes[-1], hits[-1])


def test_shared_pools_are_given_up_and_other_rules_stay() -> None:
    plan = Plan(Rules(absolute="1h"), pools={"all": Pool(lookups=["few", "many"], max_entries=9)})
    shared = share_out(of_two(5, 50), plan, "4 kB").plan
    assert dict(shared.pools) == {}
    assert str(shared.rules_for("few").absolute) == "1h"


def test_too_little_to_share_is_refused() -> None:
    with pytest.raises(RulesError, match="100 B is too little to share among 2 look-ups"):
        share_out(of_two(5, 50), Rules(), 100)


def test_the_demos_memory_is_better_spent(tmp_path: object) -> None:
    trace, plan = (read(path) for read, path in zip((read_trace, read_plan), write_demo(str(tmp_path)), strict=True))
    sharing = share_out(trace, plan, "9 MiB")
    assert sharing.is_best
    assert sharing.shares["chart"] > sharing.shares["vessel"] > sharing.shares["tide"]
