"""The kernel checks every column and number itself: nothing that Python hands it can make it read out of bounds."""

from typing import Any

import numpy as np
import pytest

from vestigo.engine import native
from vestigo.outcome import CAUSES, Measures

kernel = native.kernel

GOOD: dict[str, Any] = {
    "at": np.array([10, 20, 30], np.int64),
    "key": np.array([0, 1, 0], np.int32),
    "value": np.array([5, 6, 5], np.int32),
    "mark": np.array([0, 0, 0], np.uint8),
    "size": np.array([1, 2, 3], np.int64),
    "cost": np.array([0, 0, 4], np.int64),
    "key_lookups": np.array([0, 0], np.int32),
    "lookups": 1,
}


def columns(**changed: Any) -> Any:
    return kernel.Columns(**{**GOOD, **changed})


def replay(**changed: Any) -> Any:
    usual = {"columns": columns(), "rules": [kernel.Rules()], "first_counted": 0, "instant": False}
    slices = {"slice_origin": 0, "slice_width": 10**9, "slices": 1}
    return kernel.replay(**{**usual, **slices, **changed})


def test_good_columns_are_replayed() -> None:
    counts = replay()["total"]["counts"][0].tolist()
    assert counts[len(kernel.CAUSES) + kernel.COUNTS.index("hits")] == 1


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"at": np.array([10, 30, 20], np.int64)}, "out of order"),
        ({"at": np.array([10, 20, 2**62], np.int64)}, "out of order or range"),
        ({"key": np.array([0, 2, 0], np.int32)}, "a key is out of range"),
        ({"key": np.array([0, -1, 0], np.int32)}, "a key is out of range"),
        ({"size": np.array([1, -2, 3], np.int64)}, "a size is out of range"),
        ({"size": np.array([1, 2**61, 3], np.int64)}, "a size is out of range"),
        ({"cost": np.array([0, -1, 0], np.int64)}, "a cost is out of range"),
        ({"cost": np.array([0, 2**62, 0], np.int64)}, "a cost is out of range"),
        ({"cost": np.array([2**61, 2**61, 1], np.int64)}, "add up to too much"),
        ({"mark": np.array([0, 7, 0], np.uint8)}, "an unknown mark"),
        ({"mark": np.array([0, 64, 0], np.uint8)}, "an unknown mark"),
        ({"key_lookups": np.array([0, 1], np.int32)}, "look-up is out of range"),
        ({"key_lookups": np.array([], np.int32)}, "no keys"),
        ({"lookups": 70_000}, "more than 65,535 look-ups"),
        ({"cost": np.array([0, 0], np.int64)}, "differ in length"),
    ],
)
def test_wrong_columns_are_refused(changed: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        columns(**changed)


@pytest.mark.parametrize("name", ["at", "key", "mark", "size"])
def test_columns_of_another_kind_are_refused(name: str) -> None:
    with pytest.raises(TypeError):
        columns(**{name: GOOD[name].astype(np.float64)})


@pytest.mark.parametrize(
    "rule",
    [
        {"max_entries": 0},
        {"max_bytes": -1},
        {"entry_overhead": 2**40},
        {"absolute": -1},
        {"sliding": 2**62},
        {"null_lifetime": -5},
        {"hit_cost": -1},
    ],
)
def test_rules_out_of_range_are_refused(rule: dict[str, int]) -> None:
    rules = kernel.Rules()
    for name, value in rule.items():
        setattr(rules, name, value)
    with pytest.raises(ValueError, match="out of range"):
        replay(rules=[rules])


@pytest.mark.parametrize(
    "changed",
    [{"rules": []}, {"slice_width": 0}, {"slice_width": 5}, {"slices": 0}, {"slices": 10**6}, {"slice_origin": 7}],
)
def test_calls_that_do_not_fit_are_refused(changed: dict[str, Any]) -> None:
    with pytest.raises(ValueError):  # noqa: PT011
        replay(**changed)


def test_a_warm_up_beyond_the_end_counts_nothing() -> None:
    assert replay(first_counted=3)["total"]["counts"].sum() == 0
    assert replay(first_counted=2**40)["total"]["counts"].sum() == 0


def test_truth_checks_its_keys() -> None:
    arrays = (GOOD["mark"], GOOD["key"], np.array([0, 1, 2], np.int32), np.array([1, 1, 1], np.int8))
    assert len(kernel.truth(*arrays, 2)[0]) == 3
    with pytest.raises(ValueError, match="a key is out of range"):
        kernel.truth(*arrays, 1)
    with pytest.raises(ValueError, match="differ in length"):
        kernel.truth(arrays[0][:2], *arrays[1:], 2)


def test_the_kernels_names_are_ours() -> None:
    assert set(kernel.CAUSES) < set(CAUSES)
    fields = set(Measures.__dataclass_fields__)
    assert set(kernel.COUNTS) - {"stored", "superseded", "lost"} < fields
    assert {"entries_peak", "memory_peak", "surge_second", "surge_minute"} < set(kernel.MOSTS)
