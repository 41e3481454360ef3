"""The curve of all sizes is what replays give, size by size and lifetime by lifetime."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.agreement.cases import Case, cases
from vestigo import Plan, Rules, RulesError, Trace, read_trace, replay, size_curve, synth
from vestigo.engine import size_counts
from vestigo.engine.job import job
from vestigo.engine.replay import run
from vestigo.engine.size_curve import with_real_rates
from vestigo.trace import Op


def hits(trace: Trace, rules: Rules) -> tuple[int, int]:
    """The hits of a replay in which loads take no time."""
    outcome = run(job(trace, Plan(rules), instant=True), "x")
    return outcome.hits, outcome.reads


@given(cases(), st.integers(1, 6), st.sampled_from(["leave", "replace"]), st.sampled_from([None, "1s", "3s", "20s"]))
def test_every_size_and_lifetime_is_a_replay(case: Case, size: int, on_write: str, sliding: str | None) -> None:
    """This holds for any trace, with clears, restarts, preloads, forced reads and nulls."""
    trace = case.trace.take(np.flatnonzero(case.trace.op != Op.DROP))  # it knows no drops
    for lookup in trace.lookups:
        rules = Rules(max_entries=size, sliding=sliding, nulls="keep", on_write=on_write)
        plan = Plan(Rules(nulls="keep"), {lookup: rules})
        outcome = run(job(trace, plan, instant=True), "x").lookups[lookup]
        curve = size_curve(trace, plan, lookup=lookup, sizes=[size], lifetimes=[sliding or "1000d"])
        assert curve.reads == outcome.reads
        if sliding is None:
            assert round(curve.hit_rate(size) * max(curve.reads, 1)) == outcome.hits
        assert curve.surface is not None
        assert round(curve.surface[0, 0] * max(curve.reads, 1)) == outcome.hits


@pytest.fixture(scope="module")
def trace() -> Trace:
    return synth(reads=30_000, keys=2000, skew=0.8, scans=2, changes="1h", seed=5, nodes=2)


def test_twenty_sizes_in_entries_and_in_bytes(trace: Trace) -> None:
    curve = size_curve(trace)
    for size in np.unique(np.geomspace(1, 2500, 20).astype(int)).tolist():
        found, reads = hits(trace, Rules(max_entries=size, nulls="keep"))
        assert curve.hit_rate(size) == found / reads
    above = curve.bytes[curve.bytes > trace.size.max() + 64]
    for limit in above[:: len(above) // 20].tolist():
        found, reads = hits(trace, Rules(max_bytes=limit, nulls="keep"))
        assert curve.hit_rate(max_bytes=limit) == found / reads


def test_bytes_of_values_that_differ_are_exact_from_the_largest_value_on() -> None:
    rng = np.random.default_rng(2)
    key = rng.zipf(1.3, 20_000) % 500
    size = rng.integers(10, 5000, 500)[key]
    mixed = read_trace({"at": np.arange(20_000) * 10**9, "key": key, "size": size})
    curve = size_curve(mixed)
    for limit in curve.bytes[curve.bytes > 5064][::7].tolist():
        found, reads = hits(mixed, Rules(max_bytes=limit, nulls="keep"))
        assert curve.hit_rate(max_bytes=limit) == found / reads


def test_a_surface_has_a_replay_at_every_point(trace: Trace) -> None:
    sizes, lifetimes = [10, 100, 1000], ["1s", "10s", "1m"]
    curve = size_curve(trace, sizes=sizes, lifetimes=lifetimes)
    for row, size in enumerate(sizes):
        for column, lifetime in enumerate(lifetimes):
            found, reads = hits(trace, Rules(max_entries=size, sliding=lifetime, nulls="keep"))
            assert curve.surface is not None
            assert curve.surface[row, column] == found / reads


def test_the_ceiling_is_the_repeats_and_more_is_never_less(trace: Trace) -> None:
    curve = size_curve(trace, Rules(per="all"))
    keys = len(np.unique(trace.key[trace.op == 0]))
    assert curve.ceiling == (curve.reads - keys) / curve.reads
    assert np.all(np.diff(curve.entry_hits) > 0)
    assert np.all(np.diff(curve.byte_hits) > 0)


def test_enough_is_the_least_size_with_so_much_of_what_no_limit_gives(trace: Trace) -> None:
    """A loop gives all hits at its own length, and none below."""
    loop = read_trace({"at": np.arange(3000), "key": np.arange(3000) % 50})
    curve = size_curve(loop)
    assert (curve.enough_entries, curve.hit_rate(49), curve.entries.tolist()) == (50, 0, [50])
    assert "95.0 % of that with 50 entries" in repr(curve)
    for share in (0.5, 0.95, 1.0):
        found = size_curve(trace, enough=f"{share * 100:g}%")
        assert found.hit_rate(found.enough_entries) >= share * found.ceiling > found.hit_rate(found.enough_entries - 1)
    with pytest.raises(RulesError, match="not above 0%"):
        size_curve(trace, enough="0%")


def test_what_one_mib_more_would_bring_at_todays_limit() -> None:
    key = np.arange(40_000) % 4000
    trace = read_trace({"at": np.arange(40_000), "key": key, "size": np.full(40_000, 960)})
    curve = size_curve(trace, Rules(max_bytes="3 MiB"), lookup="reads")  # a loop of 4,096,000 bytes
    assert (curve.at_limit, curve.last_mib) == (0, 0)
    assert curve.next_mib == curve.ceiling == 0.9
    (real,) = with_real_rates(trace, Rules(max_bytes="3 MiB", eviction="mru"), [curve])
    assert real.real_rate == replay(trace, Rules(max_bytes="3 MiB", eviction="mru")).hit_rate > 0.5
    assert real.to_dict()["limit"]["real_hit_rate"] == real.real_rate


def test_warm_up_and_batches_of_a_long_trace(trace: Trace, monkeypatch: pytest.MonkeyPatch) -> None:
    plan = Plan(Rules(nulls="keep"), warm_up=10_000)
    whole = size_curve(trace, plan)
    assert whole.reads == trace.reads - 10_000
    monkeypatch.setattr("vestigo.prepared.memory.BATCH_EVENTS", 777)
    again = synth(reads=30_000, keys=2000, skew=0.8, scans=2, changes="1h", seed=5, nodes=2)
    monkeypatch.setattr("os.cpu_count", lambda: 3)
    stretches = []
    taken = size_counts.each_side_by_side
    monkeypatch.setattr(size_counts, "each_side_by_side", lambda make, of: taken(make, stretches.append(of) or of))
    for _ in range(4):  # once its batches are kept, they are taken side by side
        assert size_curve(again, plan).to_dict() == whole.to_dict()
    assert [len(of) for of in stretches] == [1, 1, 1, 3]


def test_a_look_up_that_is_not_there_is_refused_and_nothing_gives_nothing(trace: Trace) -> None:
    with pytest.raises(RulesError, match="look-up 'redas' is unknown; did you mean 'reads'"):
        size_curve(trace, lookup="redas")
    empty = size_curve(read_trace({"at": [], "key": []}))
    assert (empty.reads, empty.ceiling, empty.enough_entries, empty.next_mib) == (0, 0, 0, 0)
