"""What writes do to entries."""

from tests.telling import missed, replayed


def test_leave_drop_and_replace(engine: str) -> None:
    lines = "0 read a version=1\n 1 write a version=2\n 2 read a version=2"
    leave, drop, replace = (replayed(engine, lines, on_write=rule) for rule in ("leave", "drop", "replace"))
    assert (leave.hits, leave.stale_hits) == (1, 1)
    assert missed(drop) == {"first": 1, "dropped": 1}
    assert drop.drops == 1
    assert (replace.hits, replace.stale_hits, replace.loads) == (1, 0, 1)


def test_replace_stores_what_was_not_held_with_the_size_last_known(engine: str) -> None:
    lines = "0 write a size=7\n 1 write b\n 2 read a\n 3 read c size=5\n 4 write c\n 5 read c"
    outcome = replayed(engine, lines, on_write="replace")
    assert outcome.hits == 2
    assert outcome.memory_peak == 7 + 5 + 5  # b has no size of its own: the median of the reads' sizes


def test_a_dropped_key_that_was_not_held_counts_no_drop(engine: str) -> None:
    assert replayed(engine, "0 write a\n 1 read a", on_write="drop").drops == 0


def test_a_remove_under_replace_keeps_a_null_or_drops(engine: str) -> None:
    lines = "0 read a\n 1 remove a\n 2 read a"
    assert missed(replayed(engine, lines, on_write="replace")) == {"first": 1, "dropped": 1}
    kept = replayed(engine, lines, on_write="replace", nulls="keep")
    assert (kept.hits, kept.nulls_hit, kept.stale_hits) == (1, 1, 0)


def test_a_replaced_entry_is_a_new_one_to_the_policy(engine: str) -> None:
    lines = "0 read a\n 1 read b\n 2 write a\n 3 read c\n 4 read a"
    assert replayed(engine, lines, max_entries=2, eviction="fifo", on_write="replace").hits == 1


def test_a_clear_empties_one_look_up_or_all(engine: str) -> None:
    lines = """0 read a lookup=x
        1 read a lookup=y
        2 clear lookup=x
        3 read a lookup=x
        4 read a lookup=y
        5 clear
        6 read a lookup=y"""
    outcome = replayed(engine, lines)
    assert missed(outcome) == {"first": 2, "cleared": 2}
    assert outcome.clears == 3


def test_a_restart_empties_everything_and_is_no_clear(engine: str) -> None:
    outcome = replayed(engine, "0 read a\n 1 restart\n 2 read a")
    assert missed(outcome) == {"first": 1, "restarted": 1}
    assert outcome.clears == 0


def test_a_forced_read_loads_whatever_is_held(engine: str) -> None:
    outcome = replayed(engine, "0 read a\n 1 read a force=yes\n 2 read a")
    assert missed(outcome) == {"first": 1, "forced": 1}
    assert outcome.hits == 1
