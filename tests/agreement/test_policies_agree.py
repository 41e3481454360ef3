"""Policies whose native order is kept otherwise than in the reference engine: small rooms that are hit often, with
entries that leave for other reasons meanwhile.
"""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vestigo import Outcome, Rules, replay, synth

ORDERED = ["lfu", "lfu-da", "lru-k", "lru-k k=3", "lru-k k=1", "gdsf", "belady"]


def counts(outcome: Outcome) -> tuple[Any, ...]:
    names = ("hits", "loads", "misses_by_cause", "evictions", "expirations", "memory_peak", "stale_hits")
    return tuple(getattr(outcome, name) for name in (*names, "held_byte_ns", "idle_byte_ns", "answer_age_ns"))


@pytest.mark.parametrize("eviction", ORDERED)
@given(data=st.data())
def test_what_is_evicted_is_the_same(eviction: str, data: st.DataObject) -> None:
    some = data.draw
    trace = synth(
        some(st.integers(50, 600)),
        keys=some(st.integers(2, 50)),
        skew=some(st.sampled_from([0.0, 0.8, 1.4])),
        changes=some(st.sampled_from(["2s", "20s"])),
        nulls=some(st.sampled_from(["0%", "15%"])),
        size=some(st.integers(1, 2_000)),
        cost=some(st.sampled_from(["0s", "40ms", "900ms"])),
        rate=20,
        seed=some(st.integers(0, 10**6)),
    )
    room = some(st.sampled_from([{"max_entries": 1}, {"max_entries": 7}, {"max_entries": 19}, {"max_bytes": 6_000}]))
    rules = Rules(
        eviction=eviction,
        absolute=some(st.sampled_from(["never", "4s"])),
        sliding="6s",
        collect=some(st.sampled_from(["touch", "prompt"])),
        on_write=some(st.sampled_from(["leave", "replace"] if eviction == "belady" else ["leave", "drop", "replace"])),
        when_full=some(st.sampled_from(["evict", "free 40%"])),
        clear_every=some(st.sampled_from(["never", "9s"])),
        **room,
    )
    assert counts(replay(trace, rules)) == counts(replay(trace, rules, engine="reference"))


def test_a_key_may_be_read_more_often_than_uses_are_looked_up_directly() -> None:
    """`lfu` knows entries by their uses in a table up to 4,096 uses, and in a map from there on."""
    trace = synth(30_000, keys=12, skew=1.5, rate=1_000, seed=3)
    rules = Rules(eviction="lfu", max_entries=6)
    found = replay(trace, rules)
    assert found.evictions > 500
    assert counts(found) == counts(replay(trace, rules, engine="reference"))
