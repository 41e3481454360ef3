"""A user's own policies, on the reference engine."""

from typing import Any

import pytest

import vestigo as vg
from tests.telling import replayed
from vestigo import Policy, Rules, RulesError

LINES = "0 read a\n1 read b\n2 read c\n3 read a"


class Newest(Policy):
    """Evicts the entry that came in last."""

    def __init__(self, room: Any) -> None:
        super().__init__(room)
        self.held: list[int] = []

    def placed(self, key: int, size: int, cost: int | None, now: int) -> None:
        self.held.append(key)

    def left(self, key: int) -> None:
        self.held.remove(key)

    def evict(self) -> int:
        return self.held.pop()


def test_a_policy_of_ones_own_decides_what_makes_room() -> None:
    assert replayed("reference", LINES, max_entries=2, eviction=Newest).hits == 1
    assert replayed("reference", LINES, max_entries=2, eviction="fifo").hits == 0


def test_it_is_told_of_all_that_leaves() -> None:
    lines = "0 read a\n1 write a\n2 read b\n3 clear\n4 read c\n5 read d\n6 read c"
    assert replayed("reference", lines, max_entries=2, eviction=Newest, on_write="drop").hits == 1


def test_the_native_engine_refuses_it() -> None:
    with pytest.raises(RulesError, match=r'Newest.*engine="reference"'):
        replayed("native", LINES, max_entries=2, eviction=Newest)


def broken(**methods: Any) -> type[Policy]:
    return type("Broken", (Newest,), methods)


@pytest.mark.parametrize(
    ("policy", "says"),
    [
        (broken(evict=lambda self: 77), r"Broken\.evict\(\) gave 77, which is not held"),
        (broken(evict=lambda self: None), r"Broken\.evict\(\) gave None, which is not held"),
        (broken(hit=lambda self, key, now: 1 / 0), r"Broken\.hit\(\) raised ZeroDivisionError: division by zero"),
        (broken(placed=lambda self: None), r"Broken\.placed\(\) raised TypeError"),
        (broken(__init__=lambda self: None), r"Broken\(\) raised TypeError"),
        (broken(evict=Policy.evict), r"Broken\.evict\(\) raised NotImplementedError"),
    ],
)
def test_one_that_misbehaves_is_named_with_its_method(policy: Any, says: str) -> None:
    with pytest.raises(RulesError, match=says):
        replayed("reference", LINES + "\n4 read a", max_entries=2, eviction=policy)


def test_its_name_stands_in_the_rules() -> None:
    assert Rules(eviction=Newest).to_dict() == {"eviction": "Newest"}


class Oldest(Newest):
    """Evicts the entry that came in first."""

    def evict(self) -> int:
        return self.held.pop(0)


def test_a_policy_of_ones_own_can_be_swept_compared_and_checked() -> None:
    trace = vg.synth(400, keys=60, seed=2)
    own, fifo = (
        vg.Plan(vg.Rules(max_entries=9, eviction=one), vary={"rules.max_entries": [5]}) for one in (Oldest, "fifo")
    )
    found = vg.sweep(trace, own, engine="reference")
    native = vg.sweep(trace, fifo)
    assert [one.hit_rate for one in found.values()] == [one.hit_rate for one in native.values()]
    assert vg.compare(trace, own, engine="reference")["today"].hits == vg.compare(trace, fifo)["today"].hits
    assert vg.check(trace, own, engine="reference").rules
    with pytest.raises(vg.RulesError, match='replay it with engine="reference"'):
        vg.sweep(trace, own)
