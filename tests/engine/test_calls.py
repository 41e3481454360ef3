"""Origin calls that readers do not wait for, or share: each rule in a sentence, on both engines."""

from typing import Any

from tests.telling import missed, replayed, told
from vestigo import Plan, Rules, replay


def test_a_preload_takes_one_call_for_all_keys_of_its_moment(engine: Any) -> None:
    lines = "0 preload a cost=2\n0 preload b cost=3\n0 preload c cost=1\n4 read a\n5 read b\n6 read d cost=1"
    outcome = replayed(engine, lines)
    assert (outcome.hits, outcome.loads, outcome.background_loads) == (2, 2, 1)
    assert outcome.origin_time_ns == (3 + 1) * 10**9
    assert outcome.reads == 3


def test_preloads_of_another_moment_or_lookup_are_another_call(engine: Any) -> None:
    trace = told("0 preload a lookup=x", "0 preload b lookup=y", "1 preload c lookup=x")
    assert replay(trace, Rules(), engine=engine).loads == 3


def test_who_reads_what_is_being_preloaded_waits_or_loads_too(engine: Any) -> None:
    lines = "0 preload a cost=5\n1 read a cost=5"
    joined = replayed(engine, lines, overlap="join")
    assert (joined.joined, joined.longest_read_ns) == (1, 4 * 10**9)
    assert missed(replayed(engine, lines)) == {"loading": 1}


def test_a_preload_replaces_what_is_held_and_tells_of_changes(engine: Any) -> None:
    lines = "0 read a version=1\n1 preload a version=2\n2 read a version=2"
    outcome = replayed(engine, lines)
    assert (outcome.hits, outcome.stale_hits) == (1, 0)


def test_misses_of_one_scope_share_a_call(engine: Any) -> None:
    lines = "0 read a scope=s cost=2\n1 read b scope=s cost=5\n2 read c scope=s cost=1\n2 read d scope=t cost=1"
    alone, shared = replayed(engine, lines), replayed(engine, lines, batch="3s")
    assert (alone.loads, alone.origin_time_ns) == (4, 9 * 10**9)
    assert (shared.loads, shared.batched, shared.misses) == (2, 2, 4)
    assert shared.origin_time_ns == (5 + 1) * 10**9
    assert shared.read_time_ns == alone.read_time_ns


def test_a_miss_after_the_window_begins_a_call(engine: Any) -> None:
    lines = "0 read a scope=s\n2 read b scope=s\n3 read c scope=s\n5 read d scope=s"
    assert replayed(engine, lines, batch="3s").loads == 2


def test_misses_without_a_scope_or_of_another_lookup_share_nothing(engine: Any) -> None:
    trace = told("0 read a", "0 read b", "0 read c lookup=x scope=s", "0 read d lookup=y scope=s")
    assert replay(trace, Rules(batch="3s"), engine=engine).loads == 4


def test_a_shared_call_counts_once_in_the_surge(engine: Any) -> None:
    lines = "\n".join(f"0 read k{n} scope=s" for n in range(9))
    assert replayed(engine, lines).surge_second == 9
    assert replayed(engine, lines, batch="1s").surge_second == 1


def test_replacing_takes_a_call_where_the_rules_say_so(engine: Any) -> None:
    lines = "0 read a cost=1\n3 write a cost=2\n4 read a"
    free, paid = (replayed(engine, lines, on_write=rule) for rule in ("replace", "replace, reload"))
    assert (free.loads, free.hits) == (1, 1)
    assert (paid.loads, paid.background_loads, paid.hits) == (2, 1, 1)
    assert paid.origin_time_ns == 3 * 10**9


def test_a_removal_that_is_not_kept_is_not_reloaded(engine: Any) -> None:
    assert replayed(engine, "0 read a\n1 remove a", on_write="replace, reload").loads == 1


def test_clears_at_moments_of_several_lookups(engine: Any) -> None:
    trace = told(
        "0 read a lookup=x", "0 read b lookup=y", "5 read a lookup=x", "6 read b lookup=y", "9 read a lookup=x"
    )
    plan = Plan(
        lookups={"x": Rules(clear_at=["1970-01-01T00:00:05Z", "1970-01-01T00:00:07Z"]), "y": Rules(clear_every="6s")}
    )
    outcome = replay(trace, plan, engine=engine)
    assert (outcome.clears, outcome.hits, missed(outcome)) == (3, 0, {"first": 2, "cleared": 3})


def test_a_clear_at_a_time_of_day(engine: Any) -> None:
    lines = "\n".join(f"{hour * 3600} read a" for hour in range(49))
    outcome = replayed(engine, lines, clear_at="03:00", zone="UTC")
    assert (outcome.clears, missed(outcome)["cleared"]) == (2, 2)


def test_a_key_that_is_evicted_while_it_loads_again(engine: Any) -> None:
    lines = "0 read a\n1 read a cost=5 force=yes\n2 read b\n3 read a cost=1\n9 read a"
    outcome = replayed(engine, lines, max_entries=1)
    assert missed(outcome) == {"first": 2, "forced": 1, "loading": 1}
    assert (outcome.hits, outcome.evictions) == (1, 2)
