"""Attempts of a search, kept in a file of results and found again."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from vestigo import Plan, Rules, read_trace
from vestigo.choosing.finding.kept import KeptAttempts
from vestigo.choosing.store import Store
from vestigo.engine.job import job
from vestigo.engine.parts import shares
from vestigo.engine.replay import replay_alone
from vestigo.outcome import Spans
from vestigo.outcome.alone import Alone

_MOST = np.iinfo(np.int64).max


def _replayed(max_entries: int) -> Alone:
    keys = [f"k{number * number % 7}" for number in range(40)]
    trace = read_trace({"at": range(40), "key": keys, "size": range(40), "cost": range(40)})
    made = job(trace, Plan(rules=Rules(max_entries=max_entries)))
    return replay_alone(made, shares(made)[0], 20)


def _same(one: Alone, other: Alone) -> bool:
    return one[:3] == other[:3] and all(np.array_equal(*pair) for pair in zip(one[3:], other[3:], strict=True))


@pytest.fixture
def kept(tmp_path: Path) -> KeptAttempts:
    return KeptAttempts(Store(tmp_path / "kept.results"), ["the first unit", "the second"])


def test_what_was_kept_is_found_again_to_the_last_count(kept: KeptAttempts) -> None:
    settings = [{"max_entries": number} for number in range(1, 8)]
    attempts = [(0, setting, _replayed(setting["max_entries"])) for setting in settings]
    kept.put(attempts)
    for unit, setting, alone in attempts:
        found = kept.get(unit, setting)
        assert found is not None and _same(found, alone)
    assert len({found.whole.hits for one in settings if (found := kept.get(0, one))}) > 1
    assert kept.get(1, settings[0]) is None and kept.get(0, {"max_entries": 8}) is None


@pytest.mark.parametrize(
    "column", [[], [0], [_MOST], [-_MOST, _MOST, -_MOST - 1, 0, _MOST]], ids=["none", "one", "the largest", "far apart"]
)
def test_columns_of_any_numbers_come_back(kept: KeptAttempts, column: list[int]) -> None:
    plain = _replayed(2)
    numbers = np.array(column, np.int64)
    attempt = plain._replace(
        whole=replace(plain.whole, read_times=Spans(numbers, numbers[::-1])), held=numbers, most=np.append(numbers, 7)
    )
    kept.put([(1, {}, attempt)])
    found = kept.get(1, {})
    assert found is not None
    assert found.held.tolist() == column and found.most.tolist() == [*column, 7]
    assert found.whole.read_times.ns.tolist() == column and found.whole.read_times.times.tolist() == column[::-1]
    assert found.rest == plain.rest
