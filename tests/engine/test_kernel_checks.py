"""The kernel checks every column and number itself: nothing that Python hands it can make it read out of bounds."""

import re
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo.compiled import kernel
from vestigo.outcome import CAUSES, Measures

TRUTH = kernel.Truth(2, unnamed_writes=True)
"""Of three rows: one key has one value, the other another."""
VALUE, STRETCH, _, _ = TRUTH.see(
    np.array([10, 20, 30], np.int64),
    np.array([0, 0, 0], np.uint8),
    np.array([0, 1, 0], np.int32),
    np.array([5, 6, 5], np.int32),
    np.array([1, 1, 1], np.int8),
)

GOOD: dict[str, Any] = {
    "at": np.array([10, 20, 30], np.int64),
    "key": np.array([0, 1, 0], np.int32),
    "value": VALUE,
    "stretch": STRETCH,
    "mark": np.array([0, 0, 0], np.uint8),
    "size": np.array([1, 2, 3], np.int64),
    "cost": np.array([0, 0, 4], np.int64),
    "node": np.array([0, -1, 1], np.int32),
    "scope": np.array([0, 1, -1], np.int32),
    "keys": 2,
    "truth": TRUTH,
}


NO_TIMES = np.empty(0, np.int64)


def columns(**changed: Any) -> Any:
    return kernel.Columns(**{**GOOD, **changed})


def ready(asked: Any, **stated: Any) -> Any:
    """A replay with these arguments stated."""
    counting = kernel.Counting()
    for name, value in stated.items():
        setattr(counting if hasattr(counting, name) else asked, name, value)
    return kernel.Replay(asked, counting)


def replay(**changed: Any) -> Any:
    usual = {"entry_groups": np.array([0, 0], np.int32), "keys": 2, "groups": [kernel.GroupRules()]}
    usual |= {"place_lookups": [0], "place_nodes": [-1], "place_is_of_node": [0], "place_pools": [0]}
    usual |= {"place_pool_rules": [0], "pools": [kernel.PoolRules()], "clears": [NO_TIMES]}
    return ready(kernel.PlainAsked(), **{**usual, **changed})


def counts(*batches: Any, **changed: Any) -> Any:
    running = replay(**changed)
    for batch in batches:
        running.feed(batch)
    return total(running)[0]


def total(running: Any) -> Any:
    """The counts of all look-ups together, of a replay that has one."""
    return kernel.sum([running.close()["counted"]], [[0]], 1)["total"]["counts"]


def hits(*batches: Any) -> int:
    return int(counts(*batches)[len(kernel.CAUSES) + kernel.COUNTS.index("hits")])


def test_good_columns_are_replayed() -> None:
    assert hits(columns()) == 1


def test_batches_follow_each_other() -> None:
    first = columns()
    second = columns(at=GOOD["at"] + 30, before=first, first_row=3)
    assert hits(first, second) == 4
    for wrong in ([second], [first, first], [first, columns(at=GOOD["at"] + 30, first_row=3)]):
        with pytest.raises(ValueError, match="not the next one"):
            counts(*wrong)
    with pytest.raises(ValueError, match="does not follow"):
        columns(at=GOOD["at"] + 19, before=first)
    with pytest.raises(ValueError, match="does not follow"):
        columns(at=GOOD["at"] + 30, keys=3, before=first, first_row=3)
    with pytest.raises(ValueError, match="does not follow"):
        columns(at=GOOD["at"] + 30, before=first, first_row=2)


@pytest.mark.parametrize("rows", [[0, 0, 1], [-1, 0, 1], [2, 1, 3]])
def test_rows_are_in_order(rows: list[int]) -> None:
    with pytest.raises(ValueError, match="rows out of order or range"):
        columns(rows=np.array(rows, np.int32))
    with pytest.raises(ValueError, match="columns differ in length"):
        columns(rows=np.array([0], np.int32))
    with pytest.raises(ValueError, match="a row is out of range"):
        columns(first_row=-1)


def test_nothing_happens_in_rows_of_other_parts() -> None:
    batch = columns(mark=np.array([0, 7, 0], np.uint8), rows=np.array([0, 4, 9], np.int32))
    for running in (replay(), full_replay(per=[kernel.Per.all])):
        running.feed(batch)
        assert total(running)[0][: len(kernel.CAUSES)].sum() == 1


def test_only_parts_that_fit_together_are_summed_up() -> None:
    def part(**changed: Any) -> Any:
        running = replay(**changed)
        running.feed(columns())
        return running.close()["counted"]

    kept = {"blocks_in_slice": 2}
    two = kernel.sum([part(**kept), part(**kept)], [[0], [1]], 2)
    assert (two["total"]["counts"] == two["lookups"]["counts"].sum(axis=0)).all()
    wrong: list[tuple[list[Any], list[list[int]], int, str]] = [
        ([], [], 1, "parts differ in number"),
        ([part()], [], 1, "parts differ in number"),
        ([part()], [[0]], 0, "look-ups are out of range"),
        ([part()], [[0, 1]], 2, "look-ups differ in number"),
        ([part()], [[1]], 1, "a look-up is out of range"),
        ([part(), part()], [[0], [1]], 2, "a part has not kept its course"),
        ([part(**kept), part(blocks_in_slice=3)], [[0], [1]], 2, "parts differ in their blocks"),
        ([part(**kept), part(**kept, slices=2, slice_origin=-(10**9))], [[0], [1]], 2, "parts differ in their slices"),
    ]
    for parts, numbers, lookups, says in wrong:
        with pytest.raises(ValueError, match=says):
            kernel.sum(parts, numbers, lookups)


def test_a_curve_takes_what_came_later_only_if_it_is_of_the_same_keys() -> None:
    def curve(is_later: bool, keys: int = 2, sizes: tuple[int, ...] = ()) -> Any:
        lookups, chosen = np.zeros(keys, np.int32), np.ones(1, np.uint8)
        return kernel.Curve(lookups, None, chosen, 0, False, sizes, (), is_later)

    first = curve(False)
    for other in (curve(False), curve(True, keys=3), curve(True, sizes=(1,))):
        with pytest.raises(ValueError, match="of another curve"):
            first.take_later(other, False)
    with pytest.raises(ValueError, match="of another curve"):
        curve(True).take_later(curve(True), False)
    first.feed(columns(), 0)
    later = curve(True)
    later.feed(columns(), 0)
    first.take_later(later, True)
    reads, by_entries, *_ = first.counts()
    assert (reads, by_entries.tolist()) == (6, [0, 1, 3])
    for call in (lambda: first.feed(columns(), 0), lambda: first.take_later(later, True)):
        with pytest.raises(ValueError, match="the curve is over"):
            call()


def test_a_replay_is_closed_once() -> None:
    with pytest.raises(ValueError, match="fed nothing"):
        replay().close()
    running = replay()
    running.feed(columns())
    running.close()
    for again in (running.close, lambda: running.feed(columns())):
        with pytest.raises(ValueError, match="closed"):
            again()


def test_sizes_and_costs_must_add_up_over_all_batches() -> None:
    large = {"size": np.array([1, 2**59, 3], np.int64)}
    first = columns(**large)
    with pytest.raises(ValueError, match="a size is out of range"):
        counts(first, columns(at=GOOD["at"] + 30, before=first, first_row=3))
    first = columns(cost=np.array([2**61, 0, 0], np.int64))
    with pytest.raises(ValueError, match="add up to too much"):
        counts(first, columns(at=GOOD["at"] + 30, cost=np.array([2**61, 1, 0], np.int64), before=first, first_row=3))


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"at": np.array([10, 30, 20], np.int64)}, "out of order"),
        ({"at": np.array([10, 20, 2**62], np.int64)}, "out of order or range"),
        ({"key": np.array([0, 2, 0], np.int32)}, "a key is out of range"),
        ({"key": np.array([0, -1, 0], np.int32)}, "a key is out of range"),
        ({"size": np.array([1, -2, 3], np.int64)}, "a size is out of range"),
        ({"size": np.array([1, 2**62, 3], np.int64)}, "a size is out of range"),
        ({"cost": np.array([0, -1, 0], np.int64)}, "a cost is out of range"),
        ({"cost": np.array([0, 2**62, 0], np.int64)}, "a cost is out of range"),
        ({"cost": np.array([2**61, 2**61, 1], np.int64)}, "add up to too much"),
        ({"mark": np.array([0, 16, 0], np.uint8)}, "an unknown mark"),
        ({"mark": np.array([0, 64, 0], np.uint8)}, "an unknown mark"),
        ({"keys": 0}, "no keys"),
        ({"keys": 2**31}, r"more than 2\^31 events or keys"),
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
    "rule", [{"entry_overhead": 2**40}, {"absolute": -1}, {"sliding": 2**62}, {"null_lifetime": -5}, {"hit_cost": -1}]
)
def test_rules_out_of_range_are_refused(rule: dict[str, int]) -> None:
    with pytest.raises(ValueError, match="out of range"):
        replay(groups=[changed(kernel.GroupRules(), rule)])


@pytest.mark.parametrize(
    "rule",
    [
        {"max_entries": 0},
        {"max_bytes": -1},
        {"stay_entries": -1},
        {"stay_bytes": -1},
        {"eviction_numbers": [-1, 0, 0]},
        {"eviction": kernel.POLICIES.index("lru-k"), "eviction_numbers": [0, 1, 0]},
        {"eviction": kernel.POLICIES.index("lru-k"), "eviction_numbers": [9, 1, 0]},
        {"eviction": kernel.POLICIES.index("w-tinylfu"), "eviction_numbers": [1, 1, 0]},
    ],
)
def test_limits_out_of_range_are_refused(rule: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match="out of range"):
        replay(pools=[changed(kernel.PoolRules(), rule)])


def changed(rules: Any, fields: dict[str, Any]) -> Any:
    for name, value in fields.items():
        setattr(rules, name, value)
    return rules


def test_next_reads_are_given_where_they_are_asked_for() -> None:
    future = changed(kernel.PoolRules(), {"eviction": kernel.POLICIES.index("belady"), "max_entries": 1})
    following = np.array([2, 9, 9], np.int64)
    running = replay(pools=[future])
    running.feed(columns(), following)
    assert len(total(running)) == 1
    for pools, wrong in (([future], None), ([future], following[:2]), ([future], -following), (None, following)):
        with pytest.raises(ValueError, match="next read"):
            replay(**({"pools": pools} if pools else {})).feed(columns(), wrong)


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"groups": []}, "groups differ in number"),
        ({"place_lookups": []}, "no groups of keys, or more than 65,535"),
        ({"place_lookups": [1]}, "a place's look-up or pool is out of range"),
        ({"place_nodes": []}, "places differ in number"),
        ({"place_is_of_node": [0, 0]}, "places differ in number"),
        ({"entry_groups": np.array([0, 1], np.int32)}, "a key's group is out of range"),
        ({"entry_groups": np.array([0], np.int32)}, "an entry's key is out of range"),
        ({"entry_keys": np.array([0], np.int32)}, "an entry's key is out of range"),
        ({"entry_keys": np.array([0, 2], np.int32)}, "an entry's key is out of range"),
        ({"entry_is_first": np.array([1, 1], np.uint8)}, "columns differ in length"),
        ({"keys": 0}, "no keys, or more than 2^31"),
        ({"place_pools": [1]}, "a place's look-up or pool is out of range"),
        ({"place_pools": []}, "places differ in number"),
        ({"place_pool_rules": []}, "a place's look-up or pool is out of range"),
        ({"place_pool_rules": [1]}, "a pool is out of range"),
        ({"pools": []}, "a pool is out of range"),
        ({"news_take": -1}, "a span of time is out of range"),
        ({"slice_width": 0}, "slices are out of range, or not of whole seconds"),
        ({"slice_width": 5}, "slices are out of range, or not of whole seconds"),
        ({"slices": 0}, "slices are out of range, or not of whole seconds"),
        ({"slices": 10**6}, "slices are out of range, or not of whole seconds"),
        ({"blocks_in_slice": 10**6}, "too many blocks in a slice"),
        ({"counts_from": 2**62}, "a time is out of range"),
        ({"slice_origin": 7}, "slices are out of range, or not of whole seconds"),
        ({"slices": 3, "split": 3}, "slices are divided behind the last"),
    ],
)
def test_calls_that_do_not_fit_are_refused(changed: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=re.escape(says)):
        replay(**changed)


def test_too_many_places_are_refused() -> None:
    many = 65_536
    with pytest.raises(ValueError, match="more than 65,535"):
        replay(place_lookups=[0] * many, place_nodes=[-1] * many, place_is_of_node=[0] * many, place_pools=[0] * many)


def test_a_warm_up_beyond_the_end_counts_nothing() -> None:
    for first_counted in (3, 2**40):
        with pytest.raises(ValueError, match="a part has counted nothing"):
            counts(columns(), first_counted=first_counted)


def test_truth_checks_its_keys() -> None:
    arrays = (GOOD["at"], GOOD["mark"], GOOD["key"], np.array([0, 1, 2], np.int32), np.array([1, 1, 1], np.int8))
    truth = kernel.Truth(2, unnamed_writes=True)
    assert len(truth.see(*arrays)[0]) == 3
    with pytest.raises(ValueError, match="a key is out of range"):
        kernel.Truth(1, unnamed_writes=True).see(*arrays)
    with pytest.raises(ValueError, match="differ in length"):
        truth.see(arrays[0][:2], *arrays[1:])


def test_the_kernels_names_are_ours() -> None:
    assert kernel.CAUSES == CAUSES
    fields = set(Measures.__dataclass_fields__)
    assert set(kernel.COUNTS) - {"stored", "superseded", "lost", "other_loads"} < fields
    assert {*kernel.SUMS, *kernel.MOSTS} < fields


def full_replay(**changed: Any) -> Any:
    usual = {
        "entry_groups": np.array([0, 0], np.int32),
        "keys": 2,
        "groups": [kernel.GroupRules()],
        "pools": [kernel.PoolRules()],
        "per": [kernel.Per.scope],
        "clears": [NO_TIMES],
        "expires": [NO_TIMES],
        "lookups": 1,
        "nodes": 2,
        "unnamed_node": True,
        "last_rows": np.array([2, 0, 1], np.int64),
        "scopes_at_once": 1,
        "scope_slots": 1,
    }
    return ready(kernel.FullAsked(), **{**usual, **changed})


def test_a_full_replay_is_fed_nodes_and_scopes() -> None:
    running = full_replay()
    running.feed(columns())
    assert total(running)[0].sum() > 0


def test_a_full_replay_knows_preloads_and_a_plain_one_refuses_them() -> None:
    preload = columns(mark=np.array([4, 0, 0], np.uint8))
    full_replay().feed(preload)
    with pytest.raises(ValueError, match="preloads take a full replay"):
        replay().feed(preload)


@pytest.mark.parametrize(
    "wrong",
    [
        {"node": GOOD["node"][:2]},
        {"node": np.array([0, 2, 0], np.int32)},
        {"node": np.array([0, -2, 0], np.int32)},
        {"scope": np.array([0, 2, 0], np.int32)},
        {"scope": np.array([-9, 0, 0], np.int32)},
    ],
)
def test_nodes_and_scopes_out_of_range_are_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=r"out of range|differ in length"):
        full_replay().feed(columns(**wrong))


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"stretch": np.array([0, 9, 0], np.int32)}, "a stretch is out of range"),
        ({"stretch": np.array([0, -9, 0], np.int32)}, "a stretch is out of range"),
        ({"value": np.array([5, -1, 5], np.int32)}, "not of one row"),
        ({"stretch": STRETCH[:2]}, "differ in length"),
    ],
)
def test_stretches_that_the_truth_has_not_told_are_refused(wrong: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        columns(**wrong)


@given(st.lists(st.integers(0, 5000) | st.integers(0, 3), max_size=200))
def test_groups_are_ordered_as_a_stable_sort_orders_them(groups: list[int]) -> None:
    group = np.array(groups, np.int32)
    expected = np.argsort(group, kind="stable").tolist()
    assert kernel.by_group(group, 5001).tolist() == kernel.by_group(group, 2**31).tolist() == expected


@pytest.mark.parametrize(("group", "groups"), [(-1, 5), (5, 5), (0, 0), (0, 2**31 + 1), (0, 2**63)])
def test_groups_that_are_out_of_range_are_refused(group: int, groups: int) -> None:
    with pytest.raises(ValueError, match=r"out of range|2\^31 groups"):
        kernel.by_group(np.array([group], np.int32), groups)


AN_EVENT = {"row": 0, "key": 0, "owner": 0, "takes": 0, "is_read": 1}


@given(st.data())
def test_stays_are_the_rows_since_an_entry_can_have_come_in(data: st.DataObject) -> None:
    times = sorted(data.draw(st.lists(st.integers(0, 30), min_size=1, max_size=40)))
    small = st.integers(0, 3)
    events = [
        (row, data.draw(small), data.draw(small), data.draw(st.integers(0, 12)), data.draw(small) > 0)
        for row in range(len(times))
        if data.draw(st.integers(0, 4))
    ]
    first_counted = data.draw(st.integers(0, 10))
    expected = []
    for place, (row, key, owner, _, is_read) in enumerate(events):
        before = [event for event in events[:place] if event[1:3] == (key, owner)]
        came = [sum(at < times[event[0]] + event[3] for at in times) for event in before]
        if before and is_read and row >= first_counted:
            expected.append((key, max(row - max(*came, before[-1][0], first_counted), 0)))
    stays = kernel.Stays(np.array(times, np.int64), first_counted)
    found = []
    for some in (events[: len(events) // 2], events[len(events) // 2 :]):
        columns = np.array(some, np.int64).reshape(-1, 5).T
        kinds = (np.int64, np.int32, np.int32, np.int64, np.uint8)
        keys, rows = stays.see(*(column.astype(kind) for column, kind in zip(columns, kinds, strict=True)))
        found += zip(keys.tolist(), rows.tolist(), strict=True)
    assert found == expected


@pytest.mark.parametrize(
    "wrong", [{"row": 2}, {"row": -1}, {"key": -1}, {"owner": -1}, {"takes": -1}, {"takes": 2**62}]
)
def test_stays_of_wrong_events_are_refused(wrong: dict[str, int]) -> None:
    row, key, owner, takes, is_read = (AN_EVENT | wrong).values()
    columns = (np.array([row]), np.array([key], np.int32), np.array([owner], np.int32), np.array([takes]))
    with pytest.raises(ValueError, match=r"out of (order or )?range"):
        kernel.Stays(np.array([0, 5]), 0).see(*columns, np.array([is_read], np.uint8))


def test_keys_on_nodes_are_numbered_and_it_is_known_where_each_is_loaded_first() -> None:
    numbering = kernel.Numbering(2)
    key, node, loads = (
        np.array([0, 0, 1, 0], np.int32),
        np.array([1, 2, 2, 1], np.int32),
        np.array([0, 1, 1, 1], np.uint8),
    )
    assert numbering.number(key, node, loads).tolist() == [0, 1, 2, 0]
    assert (numbering.keys().tolist(), numbering.nodes().tolist()) == ([0, 0, 1], [1, 2, 2])
    assert numbering.is_first().tolist() == [0, 1, 1]
    for wrong in ((key + 1, node, loads), (key, node[:2], loads)):
        with pytest.raises(ValueError, match=r"out of range|differ in length"):
            numbering.number(*wrong)


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"groups": []}, "no groups of keys, or more than 65,535"),
        ({"per": []}, "groups or pools differ in number"),
        ({"clears": []}, "groups differ in number"),
        ({"expires": [NO_TIMES, NO_TIMES]}, "groups or pools differ in number"),
        ({"expires": [np.array([5, 3], np.int64)]}, "moments are out of order or range"),
        ({"clears": [np.array([2**62], np.int64)]}, "moments are out of order or range"),
        ({"entry_groups": np.array([0, 1], np.int32)}, "a key's group is out of range"),
        ({"entry_keys": np.array([0, 2], np.int32)}, "an entry's key is out of range"),
        ({"entry_nodes": np.array([0, 3], np.int32)}, "an entry's node is out of range"),
        ({"keys": 3}, "an entry's key is out of range"),
        ({"lookups": 0}, "look-ups, nodes or scopes are out of range"),
        ({"lookups": 2}, "look-ups, nodes or scopes are out of range"),
        ({"nodes": 2**31}, "look-ups, nodes or scopes are out of range"),
        ({"nodes": 2**30, "per": [kernel.Per.node]}, "more than 2^31 keys of nodes and scopes"),
        ({"scope_slots": 2**31}, "look-ups, nodes or scopes are out of range"),
        ({"scopes_at_once": 2**30}, "more than 2^31 keys of nodes and scopes"),
        ({"last_rows": NO_TIMES}, "look-ups, nodes or scopes are out of range"),
        ({"news_take": 2**62}, "a span of time is out of range"),
    ],
)
def test_full_replays_that_do_not_fit_are_refused(changed: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=re.escape(says)):
        full_replay(**changed)


@pytest.mark.parametrize(
    "rule",
    [
        {"lookup": 1},
        {"pool": -1},
        {"serve_stale": -1},
        {"tell_delay": 2**62},
        {"batch": -1},
        {"hit_cost_per_kib": -1},
        {"collect_every": 0},
        {"reload_of": 2, "reload_to": 1},
        {"reload_of": -1},
        {"tell_nodes": kernel.TellNodes.drop},
        {"absolute": -1},
    ],
)
def test_groups_out_of_range_are_refused(rule: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=r"out of range|no nodes to tell"):
        full_replay(groups=[changed(kernel.GroupRules(), rule)])


def test_more_scopes_than_were_announced_are_an_error_and_no_more() -> None:
    late = {"last_rows": np.array([9, 9, 9], np.int64)}
    for announced in ({"scopes_at_once": 1, "scope_slots": 9}, {"scopes_at_once": 9, "scope_slots": 1}):
        with pytest.raises(ValueError, match="than were announced"):
            full_replay(**late, **announced).feed(columns())


@pytest.mark.parametrize("name", ["at", "key", "value", "stretch", "mark", "size", "cost", "node", "scope"])
def test_a_column_that_is_written_after_the_check_changes_nothing(name: str) -> None:
    """The kernel reads columns later, without the GIL, so it copies what Python can still write."""
    usual = counts(columns()).tolist()
    written = GOOD[name].copy()
    batch = columns(**{name: written})
    written[:] = np.iinfo(written.dtype).max
    assert counts(batch).tolist() == usual


def test_a_view_of_an_array_that_can_be_written_is_copied_too() -> None:
    whole = np.array([0, 1, 0, 1], np.int32)
    view = whole[:3]
    view.flags.writeable = False
    batch = columns(key=view)
    whole[:] = 2**31 - 1
    assert counts(batch).tolist() == counts(columns()).tolist()


def test_what_a_replay_is_asked_for_is_copied_too() -> None:
    groups = np.array([0, 0], np.int32)
    running = replay(entry_groups=groups)
    groups[:] = 9
    running.feed(columns())
    assert total(running)[0].sum() > 0


def test_what_the_kernel_gives_cannot_be_written() -> None:
    assert not VALUE.flags.writeable
    with pytest.raises(ValueError, match="read-only"):
        STRETCH[0] = 7
    with pytest.raises(ValueError, match="WRITEABLE"):
        STRETCH.flags.writeable = True


def origin(**stated: Any) -> Any:
    made = kernel.Origin()
    for name, value in stated.items():
        setattr(made, name, value)
    return made


def with_origin(number: int = 0, begin: Callable[..., Any] | None = None, **stated: Any) -> Any:
    group = kernel.GroupRules()
    group.origin = number
    return (begin or full_replay)(groups=[group], origins=[origin(**stated)], loading=kernel.Loading.served)


def test_an_origin_is_taken() -> None:
    running = with_origin(places=1, down_begins=[5], down_ends=[9], pace_begins=[2], pace_of=[3], pace_to=[1])
    running.feed(columns())
    assert total(running)[0].sum() > 0


@pytest.mark.parametrize("number", [-1, 0])
def test_an_origin_that_is_never_away_is_taken_by_both_replays(number: int) -> None:
    slow = {"places": 1, "pace_begins": [2], "pace_of": [3], "pace_to": [1]}
    both = [with_origin(number, begin, **slow) for begin in (replay, partial(full_replay, per=[kernel.Per.all]))]
    for running in both:
        running.feed(columns(cost=np.array([30, 0, 4], np.int64)))
    assert (total(both[0])[0] == total(both[1])[0]).all()


def test_the_plain_replay_refuses_an_origin_that_it_does_not_know() -> None:
    with pytest.raises(ValueError, match="an origin that is away takes a full replay"):
        with_origin(begin=replay, down_begins=[5], down_ends=[9])
    with pytest.raises(ValueError, match="origins serve loads, or there are none"):
        replay(loading=kernel.Loading.served)
    with pytest.raises(ValueError, match="origins serve loads, or there are none"):
        replay(origins=[origin(places=1)])
    with pytest.raises(ValueError, match="a group's origin is out of range"):
        with_origin(1, begin=replay)


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"number": 1}, "a group's origin is out of range"),
        ({"number": -2}, "a group's origin is out of range"),
        ({"down_begins": [5]}, "columns differ in length"),
        ({"pace_begins": [5], "pace_of": [2]}, "columns differ in length"),
        ({"down_begins": [9, 5], "down_ends": [12, 13]}, "out of order"),
        ({"down_begins": [5], "down_ends": [5]}, "overlap"),
        ({"down_begins": [5, 6], "down_ends": [7, 9]}, "overlap"),
        ({"down_begins": [2**63 - 2], "down_ends": [2**63 - 1]}, "out of order or range"),
        ({"pace_begins": [5], "pace_of": [1], "pace_to": [2]}, "pace is out of range"),
        ({"pace_begins": [5], "pace_of": [2], "pace_to": [0]}, "pace is out of range"),
        ({"pace_begins": [5], "pace_of": [2**40], "pace_to": [1]}, "pace is out of range"),
        ({"fails_after": 0}, "limits are out of range"),
        ({"give_up": 0}, "limits are out of range"),
        ({"slow": -1}, "limits are out of range"),
        ({"places": 2**40}, "limits are out of range"),
    ],
)
def test_an_origin_that_cannot_be_is_refused(wrong: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        with_origin(**wrong)
