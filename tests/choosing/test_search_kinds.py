"""On traces of other kinds a search finds at least what a grid of values has best that is tried to the end."""

from collections.abc import Mapping
from typing import Any

import pandas as pd
import pytest

from vestigo import Aim, Plan, Pool, Rules, Trace, read_trace, replay, search, sweep, synth
from vestigo.choosing.pick import cost


def several(kinds: Mapping[str, Mapping[str, Any]]) -> Trace:
    """A look-up of each kind, with reads at the same times."""
    made = {name: synth(seed=number, **kind) for number, (name, kind) in enumerate(kinds.items())}
    return read_trace(pd.concat([one.to_pandas().assign(lookup=name) for name, one in made.items()], ignore_index=True))


DEAR = {
    "price": {"reads": 3_000, "keys": 400, "skew": 0.9, "rate": 3, "cost": "300ms", "changes": "2h"},
    "photo": {"reads": 1_500, "keys": 900, "skew": 0.6, "rate": 1.5, "cost": "2s", "size": "40 KiB"},
}
"""Few writes and dear loads."""
FAR_APART = {
    "tiny": {"reads": 6_000, "keys": 12, "rate": 6, "size": "60 B", "changes": "20m"},
    "huge": {"reads": 900, "keys": 600, "skew": 0.8, "rate": 0.9, "size": "60 KiB"},
}
"""Look-ups whose sizes differ a thousandfold."""
MANY = {f"of-{number}": {"reads": 200, "keys": 5 + 3 * number, "rate": 0.2, "skew": 0.5} for number in range(20)}
"""Twenty look-ups."""
SIZES, LIFETIMES = [4, 16, 64, 256, "no limit"], ["1m", "10m", "never"]


@pytest.mark.parametrize(
    ("kinds", "aim"),
    [
        (DEAR, Aim(least="origin_time", limits={"memory_peak": "<= 6 MiB", "stale_rate": "<= 3 %"})),
        (DEAR, Aim(least="read_time.mean", limits={"memory_peak": "<= 3 MiB"})),
        (FAR_APART, Aim(most="fresh_hit_rate", limits={"memory_peak": "<= 4 MiB"})),
        (FAR_APART, Aim(most="hit_rate", limits={"memory_peak": "<= 3 MiB"})),
    ],
)
def test_values_are_found_that_are_as_good_as_the_best_of_a_grid(kinds: Mapping[str, Any], aim: Aim) -> None:
    trace = several(kinds)
    vary = {f"lookup.{name}.max_entries": SIZES for name in kinds}
    vary |= {f"lookup.{name}.absolute": LIFETIMES for name in kinds}
    grid, found = sweep(trace, Plan(Rules(), vary=vary)), search(trace, Plan(Rules()))
    of_grid, of_search = grid.choose(aim), found.choose(aim)
    assert of_grid.is_met and of_search.is_met and of_search.proof is not None
    best = cost(grid, aim, of_grid.candidate)
    assert cost(found, aim, of_search.candidate) <= best + 2e-3 * abs(best)


def test_with_little_memory_the_look_ups_that_bring_least_are_not_cached() -> None:
    trace, aim = several(FAR_APART), Aim(most="hit_rate", limits={"memory_peak": "<= 20 KiB"})
    pick = search(trace, Plan(aim=aim)).choose()
    assert pick.candidate.plan.rules_for("huge").to_dict() == {"keep_if": "none"}
    assert pick.candidate.lookups["huge"].hit_rate == 0 and pick.candidate.lookups["tiny"].hit_rate > 0.9
    now = Rules(keep_if="none")
    again = search(trace, Plan(now, vary={"each.keep_if": "any", "each.max_entries": "any"}, aim=aim)).choose()
    assert again.value(again.candidate) == pick.value(pick.candidate)  # also from settings that cache nothing


def test_rooms_smaller_than_a_few_entries_are_tried() -> None:
    """Sizes differ, so a room of bytes that only small values fit may be all that a limit allows."""
    trace = synth(2_000, keys=50, seed=2)
    pick = search(trace, Plan(aim=Aim(most="hit_rate", limits={"memory_peak": "<= 2 KiB"}))).choose()
    assert pick.candidate.plan.rules.to_dict() == {} and pick.candidate.changes["lookup.reads.max_bytes"] == "2 KiB"
    assert pick.candidate.hit_rate == replay(trace, Rules(max_bytes="2 KiB")).hit_rate > 0.03


def test_twenty_look_ups_are_set_as_well_as_each_can_be_alone() -> None:
    trace = several(MANY)
    aim = Aim(most="hit_rate", limits={"memory_peak": "<= 200 KiB"})
    found = search(trace, Plan(Rules(), vary={"each.max_entries": [1, 4, 16, "no limit"]}, aim=aim))
    pick = found.choose()
    assert found.combinations == 4**20
    assert pick.proof is not None and pick.proof.bound - pick.candidate.hit_rate < 2e-3
    for size in (1, 4, 16):  # the same for each is one of the combinations
        alike = sweep(trace, Plan(Rules(max_entries=size))).today
        assert alike.memory_peak > 200 * 1024 or alike.hit_rate <= pick.candidate.hit_rate + 1e-3


def test_a_shared_pool_may_state_one_of_its_limits() -> None:
    pools = {"shared": Pool(lookups=["price", "photo"], max_entries=40)}
    found = search(several(DEAR), Plan(Rules(absolute="2m"), pools=pools))
    assert found.choose().candidate.hit_rate >= found.today.hit_rate > 0
