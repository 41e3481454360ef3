"""Synthetic traces have the properties that were asked for."""

import numpy as np
import pytest

from vestigo import RulesError, Trace, synth
from vestigo.trace import Op
from vestigo.units import SECOND

READS = 40_000


def shares(trace: Trace) -> np.ndarray:
    """The share of reads of each key, largest first."""
    return np.sort(np.bincount(trace.key[trace.op == Op.READ]))[::-1] / trace.reads


def test_the_same_arguments_give_the_same_trace() -> None:
    one, two, other = (synth(500, changes="1s", nodes=2, seed=seed) for seed in (1, 1, 2))
    assert one.to_pandas().equals(two.to_pandas())
    assert not one.to_pandas().equals(other.to_pandas())


def test_keys_follow_a_zipf_law_or_none() -> None:
    weights = 1 / np.arange(1, 51) ** 0.9
    assert shares(synth(READS, keys=50, skew=0.9)) == pytest.approx(weights / weights.sum(), abs=0.006)
    assert shares(synth(READS, keys=50)) == pytest.approx(np.full(50, 1 / 50), abs=0.006)


def test_arrivals_are_a_poisson_process_at_the_rate() -> None:
    gaps = np.diff(synth(READS, rate=250).at) / SECOND
    assert gaps.mean() == pytest.approx(1 / 250, rel=0.03)
    assert gaps.std() == pytest.approx(gaps.mean(), rel=0.03)


def test_bursts_make_seconds_uneven_and_keep_the_rate() -> None:
    calm, bursty = synth(READS, rate=50), synth(READS, rate=50, bursts=20)
    assert bursty.span_ns == pytest.approx(calm.span_ns, rel=0.2)

    def busiest(trace: Trace) -> int:
        return int(np.bincount((trace.at - trace.at[0]) // SECOND).max())

    assert busiest(bursty) > 3 * busiest(calm)


def test_churn_replaces_keys_after_about_its_time() -> None:
    trace = synth(READS, keys=20, rate=100, churn="40s")  # 400 s: ten lives for each of 20 places
    assert len(trace.keys) == pytest.approx(20 * 11, rel=0.2)
    lives = [np.ptp(trace.at[trace.key == key]) / SECOND for key in range(len(trace.keys))]
    assert np.mean(lives) == pytest.approx(400 / 11, rel=0.2)


def test_scans_read_every_key_once_more_in_order() -> None:
    trace = synth(1_000, keys=300, rate=1, scans=2)
    assert trace.reads == 1_000 + 2 * 300
    scanned = np.diff(trace.at) < SECOND / 5
    assert scanned.sum() > 2 * 250
    names = np.array([int(trace.keys[key][1:]) for key in trace.key])
    assert np.median(np.diff(names)[scanned]) == 1


def test_changes_come_as_writes_about_as_often_as_asked() -> None:
    trace = synth(READS, keys=10, rate=100, changes="5s")  # 400 s
    writes = trace.op == Op.WRITE
    assert writes.sum() == pytest.approx(10 * 400 / 5, rel=0.1)
    assert (trace.cost[writes] == -1).all()
    for key in range(10):
        written = trace.version[writes & (trace.key == key)].tolist()
        assert len(set(written)) == len(written)


def test_a_read_shows_the_version_of_the_last_write() -> None:
    trace = synth(2_000, keys=5, changes="1s")
    seen: dict[int, int] = {}
    for op, key, version in zip(trace.op.tolist(), trace.key.tolist(), trace.version.tolist(), strict=True):
        if op == Op.READ and key in seen:
            assert version == seen[key]
        seen[key] = version


def test_nulls_nodes_sizes_and_costs() -> None:
    trace = synth(READS, keys=2_000, nulls="25%", nodes=3, size="4 KiB", cost="20ms")
    found = np.array([trace.found[np.flatnonzero(trace.key == key)[0]] for key in range(500)])
    assert 1 - found.mean() == pytest.approx(0.25, abs=0.06)
    assert sorted(trace.nodes) == ["1", "2", "3"]
    assert np.median(trace.size[trace.found == 1]) == pytest.approx(4096, rel=0.25)
    assert np.median(trace.cost) == pytest.approx(20_000_000, rel=0.03)


def test_nothing_one_and_no_cost() -> None:
    assert len(synth(0)) == 0
    assert synth(0, scans=2, changes="1s").reads == 2 * 1_000
    assert synth(1, cost="0s", size=0).cost.tolist() == [0]


def test_every_wrong_argument_is_named() -> None:
    with pytest.raises(RulesError) as caught:
        synth(
            -1, keys=0, skew=-1, rate=0, bursts=0.5, scans=-1, nulls="2", nodes=0, churn="x", changes="0s", size="big"
        )
    assert [problem.split()[1].rstrip(":") for problem in caught.value.problems] == [
        *("reads", "keys", "skew", "rate", "bursts", "scans", "nodes", "nulls", "churn", "changes", "size"),
    ]
