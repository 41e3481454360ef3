"""Caches of nodes and scopes, what nodes tell each other, shared room: each rule in a sentence, on both engines."""

from typing import Any

import pytest

from tests.telling import missed, replayed, told
from vestigo import Plan, Pool, Rules, RulesError, read_trace, replay
from vestigo.units import SECOND


def test_each_node_loads_for_itself(engine: Any) -> None:
    lines = "0 read a node=n\n1 read a node=m\n2 read a node=n\n3 read a node=m"
    together, apart = replayed(engine, lines, per="all"), replayed(engine, lines)
    assert (together.hits, apart.hits) == (3, 2)
    assert missed(apart) == {"first": 1, "elsewhere": 1}
    assert (together.entries_peak, apart.entries_peak) == (1, 2)


def test_each_node_has_the_full_limits(engine: Any) -> None:
    lines = "0 read a node=n\n1 read b node=m\n2 read a node=n\n3 read b node=m"
    assert replayed(engine, lines, max_entries=1, per="all").hits == 0
    assert replayed(engine, lines, max_entries=1).hits == 2


def test_a_trace_that_names_no_node_is_one_process(engine: Any) -> None:
    outcome = replayed(engine, "0 write a\n1 read a\n2 read a\n3 restart\n4 read a", on_write="replace")
    assert (outcome.hits, missed(outcome)) == (2, {"restarted": 1})


def test_a_node_is_one_that_any_row_names_and_a_restart_of_it_spares_the_others(engine: Any) -> None:
    outcome = replayed(engine, "0 read a\n1 restart node=n\n2 read a")
    assert outcome.hits == 1


def test_a_clear_of_a_node_empties_that_node_or_the_one_cache_there_is(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 clear node=n\n2 read a node=n\n2 read a node=m"
    assert missed(replayed(engine, lines)) == {"first": 1, "elsewhere": 1, "cleared": 1}
    assert missed(replayed(engine, lines, per="all")) == {"first": 1, "cleared": 1}


def test_a_key_is_known_elsewhere_from_the_moment_a_load_of_it_begins(engine: Any) -> None:
    lines = "0 read a node=n cost=5\n1 read a node=m cost=5\n2 read b node=n cost=1 force=yes\n2 read b node=m cost=1"
    assert missed(replayed(engine, lines)) == {"first": 1, "elsewhere": 2, "forced": 1}


def test_a_value_that_a_write_put_on_one_node_is_known_elsewhere(engine: Any) -> None:
    lines = "0 write a node=n\n1 read a node=m\n2 read a node=n"
    assert missed(replayed(engine, lines, on_write="replace")) == {"elsewhere": 1}
    assert missed(replayed(engine, lines)) == {"first": 1, "elsewhere": 1}


def test_a_loads_that_a_restart_of_one_node_ends_are_those_of_that_node(engine: Any) -> None:
    lines = "0 read a node=n cost=5\n0 read a node=m cost=5\n1 restart node=n\n7 read a node=n\n7 read a node=m"
    outcome = replayed(engine, lines)
    assert (outcome.hits, missed(outcome)) == (1, {"first": 1, "elsewhere": 1, "restarted": 1})


def test_rows_without_a_node_are_one_of_their_own(engine: Any) -> None:
    assert replayed(engine, "0 read a node=n\n1 read a\n2 read a", per="node").hits == 1


def test_a_writer_that_is_no_node_reaches_no_entry_but_tells_all(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 write a\n2 read a node=n\n2 read a node=m"
    quiet = replayed(engine, lines, per="node", on_write="drop")
    assert (quiet.drops, quiet.stale_hits) == (0, 2)
    told_all = replayed(engine, lines, per="node", on_write="drop", tell_nodes="drop")
    assert (told_all.drops, told_all.stale_hits, missed(told_all)["dropped"]) == (2, 0, 2)


def test_the_other_nodes_keep_what_a_write_changed_unless_they_are_told(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 write a node=n\n2 read a node=n\n2 read a node=m"
    silent = replayed(engine, lines, per="node", on_write="drop")
    assert (silent.stale_hits, silent.drops) == (1, 1)
    dropped = replayed(engine, lines, per="node", on_write="drop", tell_nodes="drop")
    assert (dropped.stale_hits, dropped.drops, dropped.hits) == (0, 2, 0)
    copied = replayed(engine, lines, per="node", on_write="replace", tell_nodes="copy")
    assert (copied.stale_hits, copied.hits, copied.loads) == (0, 2, 2)


def test_news_take_their_time(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 write a node=n\n2 read a node=m\n3 read a node=m"
    outcome = replayed(engine, lines, per="node", tell_nodes="drop", tell_delay="2s")
    assert (outcome.hits, outcome.stale_hits, outcome.oldest_stale_ns) == (1, 1, SECOND)
    assert missed(outcome) == {"first": 1, "elsewhere": 1, "dropped": 1}


def test_a_copy_that_comes_late_puts_an_old_value_over_a_new_one(engine: Any) -> None:
    lines = """0 write a version=1 node=n
    1 write a version=2 node=m
    2 read a node=n
    4 read a node=n"""
    rules = {"per": "node", "on_write": "replace", "tell_nodes": "copy"}
    assert replayed(engine, lines, **rules, tell_delay="500ms").stale_hits == 0
    late = replayed(engine, lines, **rules, tell_delay="2500ms")
    assert (late.hits, late.stale_hits) == (2, 1)  # at 2 n still has its own; at 4 the copy of 2 has come


def test_a_null_is_copied_where_nulls_are_kept_and_drops_elsewhere(engine: Any) -> None:
    lines = "0 read a node=m\n1 remove a node=n\n2 read a node=m found=no"
    rules = {"per": "node", "tell_nodes": "copy"}
    assert replayed(engine, lines, **rules, nulls="keep").nulls_hit == 1
    assert missed(replayed(engine, lines, **rules)) == {"first": 1, "dropped": 1}


def test_a_load_under_way_misses_the_news(engine: Any) -> None:
    lines = "0 read a node=m cost=5\n1 write a node=n\n6 read a node=m"
    outcome = replayed(engine, lines, per="node", tell_nodes="drop")
    assert (outcome.raced, outcome.stale_hits) == (1, 1)


def test_a_restart_of_a_node_empties_that_node_where_each_has_its_own(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 restart node=n\n2 read a node=n\n2 read a node=m"
    assert missed(replayed(engine, lines, per="node")) == {"first": 1, "elsewhere": 1, "restarted": 1}
    assert replayed(engine, lines, per="all").hits == 2  # one process: the second read before, and the second after
    assert missed(replayed(engine, lines, per="all")) == {"first": 1, "restarted": 1}


def test_a_clear_of_a_node_leaves_the_others(engine: Any) -> None:
    lines = "0 read a node=n\n0 read a node=m\n1 clear node=n\n2 read a node=n\n2 read a node=m"
    outcome = replayed(engine, lines, per="node")
    assert (outcome.clears, outcome.hits) == (1, 1)
    assert replayed(engine, lines.replace("clear node=n", "clear"), per="node").clears == 2


def test_what_a_scope_holds_is_freed_after_its_last_row(engine: Any) -> None:
    lines = "0 read a scope=s size=10\n2 read a scope=s\n3 read b scope=t size=10\n9 read c scope=u size=10"
    outcome = replayed(engine, lines, per="scope")
    assert (outcome.hits, outcome.entries_peak) == (1, 1)
    assert outcome.held_byte_ns == 10 * 2 * SECOND
    assert missed(outcome) == {"first": 3}


def test_a_key_that_another_scope_loaded_is_missed_for_that(engine: Any) -> None:
    outcome = replayed(engine, "0 read a scope=s\n1 read a scope=t\n2 read a scope=s\n3 read a scope=t", per="scope")
    assert (outcome.hits, missed(outcome)) == (2, {"first": 1, "elsewhere": 1})


def test_a_load_that_outlives_its_scope_is_given_up(engine: Any) -> None:
    outcome = replayed(engine, "0 read a scope=s cost=5\n1 read b scope=t\n9 read a scope=u", per="scope")
    assert (outcome.loads, missed(outcome)) == (3, {"first": 2, "elsewhere": 1})


def test_ten_thousand_scopes_at_once(engine: Any) -> None:
    lines = [f"{at} read k{at % 3} scope=s{scope}" for at in range(2) for scope in range(5_000)]
    outcome = replayed(engine, "\n".join(lines), per="scope", max_entries=2)
    assert (outcome.hits, outcome.entries_peak) == (0, 5_001)
    assert outcome.misses_by_cause["first"] == 2


def test_lookups_that_share_room_push_each_other_out(engine: Any) -> None:
    trace = told("0 read a lookup=x", "1 read b lookup=y", "2 read a lookup=x", "3 read b lookup=y")
    apart = replay(trace, Rules(max_entries=1), engine=engine)
    together = replay(trace, Plan(pools={"both": Pool(lookups=["x", "y"], max_entries=1)}), engine=engine)
    assert (apart.hits, together.hits, together.evictions) == (2, 0, 3)
    assert together.lookups["x"].evictions == 2


def test_each_lookup_in_a_shared_pool_keeps_rules_of_its_own(engine: Any) -> None:
    trace = told("0 read a lookup=x", "1 read b lookup=y", "7 read a lookup=x", "7 read b lookup=y")
    plan = Plan(
        lookups={"x": Rules(absolute="5s")}, pools={"both": Pool(lookups=["x", "y"], max_entries=2, eviction="fifo")}
    )
    outcome = replay(trace, plan, engine=engine)
    assert (outcome.lookups["x"].hits, outcome.lookups["y"].hits) == (0, 1)


def test_a_clear_of_one_lookup_leaves_the_others_in_the_pool(engine: Any) -> None:
    trace = told("0 read a lookup=x", "1 read b lookup=y", "2 clear lookup=x", "3 read a lookup=x", "4 read b lookup=y")
    outcome = replay(trace, Plan(pools={"both": Pool(lookups=["x", "y"], max_entries=9)}), engine=engine)
    assert (outcome.clears, outcome.hits) == (1, 1)


@pytest.mark.parametrize(
    ("plan", "says"),
    [
        (
            lambda: Plan(pools={"p": Pool(lookups=["x"]), "q": Pool(lookups=["x"])}),
            "pool.q.lookups: 'x' is in the pool 'p'",
        ),
        (lambda: Plan(lookups={"x": Rules(max_entries=5)}, pools={"p": Pool(lookups=["x"])}), "give it to pool.p"),
        (
            lambda: Plan(lookups={"x": Rules(per="all")}, pools={"p": Pool(lookups=["x", "y"])}),
            'pool.p.lookups: .* need the same per, but here it is x "all", y "node"',
        ),
        (lambda: Plan(pools={"p": Pool(lookups=["x"], max_bytes=10)}), "pool.p.max_bytes: .* entry_overhead = 64 of x"),
        (
            lambda: Plan(Rules(on_write="drop"), pools={"p": Pool(lookups=["x"], eviction="belady")}),
            "pool.p.eviction: .*belady.* writes that drop entries of x",
        ),
        (lambda: Pool(lookups=[]), "not a list of look-ups"),
        (lambda: Pool(max_entries=5), "lookups is missing"),
        (lambda: Plan(keys={"x": {"a": Rules(max_entries=5)}}), "max_entries is for a whole look-up"),
        (lambda: Plan(keys={"x": {"a": Rules(per="all")}}), "per is for a whole look-up"),
    ],
)
def test_plans_that_cannot_be_are_refused(plan: Any, says: str) -> None:
    with pytest.raises(RulesError, match=says):
        plan()


def test_times_before_1970_are_times_like_others(engine: Any) -> None:
    at = [-(10**17) + second * 10**9 for second in (0, 2, 4, 9)]
    trace = read_trace({"at": at, "key": ["a"] * 4})
    outcome = replay(trace, Rules(absolute="5s", sliding="3s", collect="prompt"), engine=engine)
    assert outcome.hits == 2
    assert outcome.misses_by_cause["idle"] + outcome.misses_by_cause["aged"] == 1
